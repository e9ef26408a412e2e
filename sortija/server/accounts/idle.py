"""Who is at work stays signed in; who has walked away does not."""

from __future__ import annotations

import time
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from sortija.server.accounts.sessions import seen

__all__ = ["StaySignedIn"]

#: Seconds after which a request counts as new, so that not every one writes to the database.
NEW_AFTER = 300


class StaySignedIn:
    """Puts the end of a session off while it is used; without a request it ends by itself."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.user.is_authenticated:
            now = int(time.time())
            if now - request.session.get("seen", 0) > NEW_AFTER:
                request.session["seen"] = now  # a changed session is saved with a new end
                seen(request)
        return self.get_response(request)
