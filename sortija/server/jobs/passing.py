"""Failures that say nothing against the work itself: a moment later it may well succeed."""

from __future__ import annotations

import psycopg
from django.db import InterfaceError, OperationalError

__all__ = ["Passing", "passing"]


class Passing(Exception):
    """Mixed into an error after which the same job is to begin again."""


def passing(problem: Exception) -> bool:
    """Whether it is such a failure, or the connection to the database broke."""
    lost = (OperationalError, InterfaceError, psycopg.OperationalError)
    return isinstance(problem, (*lost, Passing))
