"""What becomes of a letter to an invented person: the same for the same letter, whenever asked."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from hashlib import sha256

__all__ = ["draw", "events_of", "why_refused"]

#: Shares of all letters; those of an opened letter after that.
BOUNCED, OPENED = 0.02, 0.42
CLICKED, REPLIED, OPTED_OUT = 0.2, 0.02, 0.015


def draw(reference: str, what: str) -> float:
    """A number between 0 and 1 that hangs on the letter alone.

    >>> draw("7-12", "opened") == draw("7-12", "opened") != draw("7-13", "opened")
    True
    """
    return int.from_bytes(sha256(f"{reference} {what}".encode()).digest()[:8], "big") / 2**64


def why_refused(address: str) -> str:
    """Why a letter to this address is not taken; empty where it is.

    >>> why_refused("member7@example.org"), why_refused("")
    ('', 'no address')
    """
    if not address:
        return "no address"
    return "" if address.count("@") == 1 and "." in address.partition("@")[2] else "no such address"


def events_of(reference: str, send_on: date) -> Iterator[tuple[str, datetime]]:
    """What is told of a letter, in order, with the moments at which it happens."""
    sent = datetime.combine(send_on, time(9), UTC)
    if draw(reference, "bounced") < BOUNCED:
        yield "bounced", sent + timedelta(minutes=2)
        return
    yield "delivered", sent + timedelta(minutes=1)
    if draw(reference, "opened") >= OPENED:
        return
    opened = sent + timedelta(hours=1 + 90 * draw(reference, "hours"))
    yield "opened", opened
    for what, share in (("clicked", CLICKED), ("replied", REPLIED), ("opted out", OPTED_OUT)):
        if draw(reference, what) < share:
            yield what, opened + timedelta(minutes=3)
