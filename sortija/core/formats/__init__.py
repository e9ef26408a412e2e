"""Readers and writers of files. The only part of the core that touches any."""
