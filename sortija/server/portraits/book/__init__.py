"""The book of the segments: what it speaks of, what was written, how it changes."""
