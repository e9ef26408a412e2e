"""The one page of the application, and the content policy that goes with it."""

from __future__ import annotations

import json
import logging
import secrets
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import csrf_exempt, ensure_csrf_cookie
from django.views.decorators.http import require_POST

from sortija.places import front_end

__all__ = ["ContentPolicy", "page", "policy_report"]

log = logging.getLogger(__name__)
#: Reports of the content policy that are written down in a minute, and when the last ones came.
MOST_REPORTS = 30
_reports: list[float] = []


class ContentPolicy:
    """Scripts and styles from ourselves, with a nonce; nothing else."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        nonce = secrets.token_urlsafe(16)
        request.nonce = nonce  # type: ignore[attr-defined]
        response = self.get_response(request)
        response["Content-Security-Policy"] = (
            f"default-src 'none'; script-src 'self' 'nonce-{nonce}'; "
            f"style-src 'self' 'nonce-{nonce}'; style-src-attr 'unsafe-inline'; "
            "img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; "
            "form-action 'self'; base-uri 'none'; frame-ancestors 'none'; report-uri /policy-report"
        )
        return response


@lru_cache(maxsize=1)
def _entry(stamp: float) -> dict[str, list[str]]:
    manifest = json.loads(_manifest().read_text())
    main = manifest["index.html"]
    return {"scripts": [main["file"]], "styles": list(main.get("css", []))}


def _manifest() -> Path:
    return front_end() / ".vite" / "manifest.json"


@ensure_csrf_cookie
def page(request: HttpRequest, path: str = "") -> HttpResponse:
    """The application's page, for every address that is not the interface's."""
    if not _manifest().exists():
        return HttpResponse("The interface is not built. Run ./start, which builds it.", status=503)
    entry = _entry(_manifest().stat().st_mtime)
    return render(request, "page.html", {**entry, "nonce": request.nonce})  # type: ignore[attr-defined]


@csrf_exempt
@require_POST
def policy_report(request: HttpRequest) -> HttpResponse:
    """Browsers say here what the content policy held back; anybody may write here, so little of
    it is kept, a few times a minute, and nothing of it can break out of its line in the log."""
    if int(request.headers.get("Content-Length") or 0) > 20_000:
        return HttpResponse(status=413)
    now = time.monotonic()
    _reports[:] = [at for at in _reports if now - at < 60]
    if len(_reports) < MOST_REPORTS:
        _reports.append(now)
        log.error("content policy: %s", ascii(request.body[:2000].decode(errors="replace")))
    return HttpResponse(status=204)
