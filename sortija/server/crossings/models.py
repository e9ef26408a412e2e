"""Crossings keep no records of their own: they are made from placements."""
