"""Tell whoever sent letters what became of them, signed as Standard Webhooks 1.0 say."""

from __future__ import annotations

import hmac
import json
import logging
import threading
import time
import urllib.error
import urllib.request
from base64 import b64decode, b64encode
from hashlib import sha256
from secrets import token_hex

from sortija.demo.delivery.store import Store

__all__ = ["keep_telling"]

log = logging.getLogger(__name__)
_AT_ONCE = 500
_PAUSE, _AFTER_TROUBLE = 0.5, 5.0


def keep_telling(store: Store, secret: str, ended: threading.Event) -> None:
    """Tell every event once it is known, until ended; what was not taken is told again."""
    while not ended.is_set():
        try:
            some = _tell_some(store, secret)
        except (urllib.error.URLError, OSError, ValueError) as problem:
            log.warning("events were not taken: %s", problem)
            ended.wait(_AFTER_TROUBLE)
        else:
            if not some:
                ended.wait(_PAUSE)


def _tell_some(store: Store, secret: str) -> int:
    rows = store.untold(_AT_ONCE)
    by_address: dict[str, list[tuple[int, str, str, str]]] = {}
    for number, reference, kind, at, address in rows:
        by_address.setdefault(address, []).append((number, reference, kind, at))
    for address, events in by_address.items():
        told = [{"reference": r, "kind": kind, "at": at} for _, r, kind, at in events]
        _post(address, secret, json.dumps({"events": told}).encode())
        store.told([number for number, *_ in events])
    return len(rows)


def _post(address: str, secret: str, body: bytes) -> None:
    if not address.startswith(("http://", "https://")):
        raise ValueError(f"{address} is no address")
    name, seconds = f"msg_{token_hex(12)}", int(time.time())
    key = b64decode(secret.removeprefix("whsec_"))
    signed = hmac.digest(key, f"{name}.{seconds}.".encode() + body, sha256)
    request = urllib.request.Request(
        address, body,
        {
            "Content-Type": "application/json", "webhook-id": name,
            "webhook-timestamp": str(seconds),
            "webhook-signature": f"v1,{b64encode(signed).decode()}",
        },
    )  # fmt: skip
    with urllib.request.urlopen(request, timeout=30):
        pass
