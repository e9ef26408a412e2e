"""Portraits keep no records of their own: sheets are made, names belong to the segments."""
