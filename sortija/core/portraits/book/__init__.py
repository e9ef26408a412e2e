"""The book of the segments: facts, figures, sentences drafted from them, pages."""
