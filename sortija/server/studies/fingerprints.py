"""Fingerprints: what a made record was made from, as one short digest."""

from __future__ import annotations

import hashlib
import json
from typing import Any

__all__ = ["canonical", "fingerprint"]


def canonical(value: Any) -> bytes:
    """JSON with sorted keys and no spare spaces, so that equal values give equal bytes."""
    return json.dumps(
        value, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False
    ).encode()


def fingerprint(*parts: Any) -> str:
    """SHA-256 of the parts' canonical JSON, in hexadecimal."""
    return hashlib.sha256(canonical(list(parts))).hexdigest()
