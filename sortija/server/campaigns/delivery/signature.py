"""Signatures of what a service tells us, as Standard Webhooks 1.0 define them.

``webhook-signature`` holds, for each secret that is in use, ``v1,`` and the HMAC-SHA256 of
``ID.TIMESTAMP.BODY`` in base64.
"""

from __future__ import annotations

import hmac
from base64 import b64decode, b64encode
from collections.abc import Mapping
from hashlib import sha256

__all__ = ["TOLERANCE", "WrongSignature", "check", "sign"]

#: Seconds by which the service's clock may differ from ours; older calls are replays.
TOLERANCE = 300


class WrongSignature(Exception):
    """A call that was not signed by who knows the secret, or not lately; the message says why."""


def sign(secret: str, name: str, seconds: int, body: bytes) -> str:
    """The signature of a call.

    >>> sign("whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw", "msg_p5jXN8AQM9LWM0D4loKWxJek", 1614265330,
    ...      b'{"test": 2432232314}')
    'v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE='
    """
    key = b64decode(secret.removeprefix("whsec_"))
    told = f"{name}.{seconds}.".encode() + body
    return f"v1,{b64encode(hmac.digest(key, told, sha256)).decode()}"


def check(secret: str, headers: Mapping[str, str], body: bytes, now: float) -> None:
    """See that a call is signed by who knows the secret, within the last minutes.

    Raises
    ------
    WrongSignature
        A header is missing, the time is too far from ``now``, or no signature fits.
    """
    name, at = headers.get("webhook-id", ""), headers.get("webhook-timestamp", "")
    given = headers.get("webhook-signature", "").split()
    if not name or not at.isdigit() or not given:
        raise WrongSignature(
            "The headers webhook-id, webhook-timestamp and webhook-signature are needed."
        )
    if abs(now - int(at)) > TOLERANCE:
        raise WrongSignature(
            f"The call is of another time: {at}. Calls count for {TOLERANCE // 60} minutes."
        )
    right = sign(secret, name, int(at), body)
    if not any(hmac.compare_digest(right, each) for each in given):
        raise WrongSignature("The signature does not fit. Is it made with this study's secret?")
