"""Where somebody is signed in: each browser with its last use, and how it is ended."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth.signals import user_logged_in, user_logged_out
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from sortija.server.accounts.models import Person, SignedIn

__all__ = ["browser_words", "end", "end_others", "follow_sign_ins", "renew", "seen", "sign_ins"]

#: Seconds for which a key that was replaced still opens.
LINGER = 20

_BROWSERS = {"Firefox": "Firefox", "Edg": "Edge", "Chrome": "Chrome", "Safari": "Safari"}
_SYSTEMS = {
    "Windows": "Windows", "Android": "Android", "iPhone": "iPhone", "iPad": "iPad",
    "Mac OS": "macOS", "Linux": "Linux",
}  # fmt: skip


def browser_words(agent: str) -> str:
    """A browser as its owner would call it: Firefox on Linux.

    Examples
    --------
    >>> browser_words("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0")
    'Firefox on Linux'
    >>> browser_words("curl/8.5")
    'another program'
    """
    name = next((words for sign, words in _BROWSERS.items() if f"{sign}/" in agent), "")
    system = next((words for sign, words in _SYSTEMS.items() if sign in agent), "")
    return f"{name} on {system}" if name and system else name or "another program"


def sign_ins(person: Person) -> list[SignedIn]:
    """The person's sign-ins that still last, the one used last first."""
    alive = Session.objects.filter(expire_date__gt=timezone.now()).values("session_key")
    return list(SignedIn.objects.filter(person=person, session__in=alive).order_by("-seen_at"))


def end(person: Person, pk: int) -> bool:
    """End one sign-in of the person; False where there is none such."""
    row = SignedIn.objects.filter(person=person, pk=pk).first()
    if row is None:
        return False
    _end([row.session])
    return True


def end_others(person: Person, own: str | None) -> int:
    """End every sign-in of the person but the one with this session; how many that were."""
    rows = SignedIn.objects.filter(person=person).exclude(session=own or "")
    return _end(list(rows.values_list("session", flat=True)))


def _end(keys: list[str]) -> int:
    Session.objects.filter(session_key__in=keys).delete()
    SignedIn.objects.filter(session__in=keys).delete()
    return len(keys)


def seen(request: HttpRequest) -> None:
    """Note that a sign-in is in use, and from where."""
    key = request.session.session_key
    if key is None or not isinstance(request.user, Person):
        return
    SignedIn.objects.update_or_create(
        session=key,
        defaults={
            "person": request.user, "seen_at": timezone.now(),
            "address": request.META.get("REMOTE_ADDR", "")[:64],
            "browser": browser_words(request.META.get("HTTP_USER_AGENT", "")),
        },
    )  # fmt: skip


def renew(request: HttpRequest, change: Callable[[], None]) -> None:
    """Give a sign-in another key, as a changed password does, and keep it in the list.

    The former key opens for a few seconds more: what the same browser's tabs asked with it before
    the new one reached them would be refused otherwise, and the refusal would take the cookie of
    the new one away.
    """
    before = request.session.session_key
    change()
    if before is not None:
        SignedIn.objects.filter(session=before).delete()
        linger = {**dict(request.session.items()), "_session_expiry": LINGER}
        until = timezone.now() + timedelta(seconds=LINGER)
        Session.objects.save(before, linger, until)
    seen(request)


def _began(request: HttpRequest, **_: Any) -> None:
    if request.session.session_key is None:
        request.session.save()
    gone = timezone.now() - timedelta(seconds=settings.SESSION_COOKIE_AGE)
    SignedIn.objects.filter(seen_at__lt=gone).delete()
    Session.objects.filter(expire_date__lt=timezone.now()).delete()


def _ended(request: HttpRequest, **_: Any) -> None:
    if request.session.session_key is not None:
        SignedIn.objects.filter(session=request.session.session_key).delete()


def follow_sign_ins() -> None:
    """Keep the list of sign-ins as people come and go."""
    user_logged_in.connect(_began, dispatch_uid="sign-in began")
    user_logged_out.connect(_ended, dispatch_uid="sign-in ended")
