"""Portraits over HTTP."""
