"""Wrong passwords: a growing pause for a name from an address, and few checked at once."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from math import ceil

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from sortija.server.accounts.models import SignInPause

__all__ = ["FREE", "LONGEST", "one_of_few", "right", "seconds_left", "time_words", "wrong"]

#: Wrong passwords that are answered at once; each further one doubles the pause.
FREE = 3
LONGEST = 900
_KEPT = timedelta(days=1)
_few = threading.BoundedSemaphore(settings.SIGN_INS_AT_ONCE)


def _key(name: str, address: str) -> str:
    """Names and addresses are not kept as such."""
    return hashlib.sha256(f"{name.strip().lower()}\n{address}".encode()).hexdigest()


def seconds_left(name: str, address: str) -> int:
    """How long this name has to wait at this address; 0: not at all."""
    row = SignInPause.objects.filter(key=_key(name, address)).first()
    return max(0, ceil((row.until - timezone.now()).total_seconds())) if row else 0


def time_words(seconds: int) -> str:
    """A pause as it is told: 12 s, 4 minutes."""
    return f"{seconds} s" if seconds < 90 else f"{round(seconds / 60)} minutes"


def wrong(name: str, address: str) -> None:
    """A password was wrong: from the fourth on the pause begins at a second and doubles."""
    now = timezone.now()
    SignInPause.objects.filter(until__lt=now - _KEPT).delete()
    with transaction.atomic():
        row, _ = SignInPause.objects.select_for_update().get_or_create(
            key=_key(name, address), defaults={"until": now}
        )
        row.failures += 1
        pause = min(2 ** min(row.failures - FREE - 1, 20), LONGEST) if row.failures > FREE else 0
        row.until = now + timedelta(seconds=pause)
        row.save()


def right(name: str, address: str) -> None:
    """The password was right: nothing is held against the name any more."""
    SignInPause.objects.filter(key=_key(name, address)).delete()


@contextmanager
def one_of_few() -> Iterator[bool]:
    """Whether a password may be checked now: each check keeps a core busy for a while."""
    free = _few.acquire(blocking=False)
    try:
        yield free
    finally:
        if free:
            _few.release()
