"""Scores keep no records of their own: bands are made from measures."""
