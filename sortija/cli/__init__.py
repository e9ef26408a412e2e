"""The core from a terminal: files in, files out, no database."""
