"""Names that never come again: what files beside the database are called by.

A primary key does come again, where an older copy of the database is put back and goes on from
there; files named by it would then hold something else.
"""

from __future__ import annotations

import secrets

__all__ = ["LENGTH", "new_token"]

#: Characters of a token: 128 random bits in hexadecimal.
LENGTH = 32


def new_token() -> str:
    """A name that nothing else has, in this database or any other."""
    return secrets.token_hex(LENGTH // 2)
