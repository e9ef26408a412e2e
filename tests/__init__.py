"""Tests: the same rooms as the code they test."""

from hypothesis import settings

# The first call of a kernel may compile it, which says nothing about the case being tried.
settings.register_profile("house", deadline=None)
settings.load_profile("house")
