"""One request to the delivery service, tried again while the service is away."""

from __future__ import annotations

import json
import random
import time
from collections.abc import Callable, Mapping
from typing import Any

import urllib3
from pydantic import BaseModel, ValidationError

from sortija.server.campaigns.models import DeliveryService

__all__ = ["Answer", "NotDelivered", "post_batch"]

#: Pauses between tries, in seconds; a service may ask for longer ones.
PAUSES = (0.5, 1, 2, 4, 8, 16, 30)
MOST_SECONDS = 60.0
#: What a service says that may do better in a while.
PASSING = {408, 425, 429, 500, 502, 503, 504}
_POOL = urllib3.PoolManager(
    retries=False, timeout=urllib3.Timeout(connect=5, read=30), maxsize=2, block=False
)


class RefusedMessage(BaseModel):
    """One message that the service does not take, and why."""

    reference: str
    why: str = ""


class Answer(BaseModel):
    """What the service says of a batch: all that it does not refuse it has taken."""

    refused: list[RefusedMessage] = []


class NotDelivered(Exception):
    """The service does not take a batch; the message says what it said, and what to do."""


def post_batch(
    service: DeliveryService, key: str, body: Mapping[str, Any], pause: Callable[[float], None]
) -> Answer:
    """Hand a batch to the service, again and again with the same key until it has answered.

    Parameters
    ----------
    key : by which the service knows a batch that comes twice
    pause : waits so many seconds; it may raise to end the tries

    Raises
    ------
    NotDelivered
        It refuses the batch, or is away for longer than the pauses.
    """
    headers = {
        "Content-Type": "application/json",
        "Idempotency-Key": key,
        "User-Agent": "Sortija",
    }
    if service.token:
        headers["Authorization"] = f"Bearer {service.token}"
    data, said = json.dumps(body).encode(), ""
    for wait in (*PAUSES, None):
        asked = 0.0
        try:
            answer = _POOL.request(
                "POST", f"{service.url}/messages", body=data, headers=headers, redirect=False
            )
        except urllib3.exceptions.HTTPError as problem:
            said = f"it cannot be reached ({type(problem).__name__})"
        else:
            if answer.status in (200, 201, 202):
                return _read(answer.data)
            said = f"it answers {answer.status} {_words(answer.data)}".strip()
            if answer.status not in PASSING:
                raise NotDelivered(f"The delivery service refuses the letters: {said}.")
            asked = _asked(answer.headers.get("Retry-After"))
        if wait is not None:
            pause(min(max(wait * random.uniform(0.8, 1.2), asked), MOST_SECONDS))
    raise NotDelivered(
        f"The delivery service is away: {said}. What it took is on record; send the rest later."
    )


def _read(data: bytes) -> Answer:
    try:
        return Answer.model_validate_json(data or b"{}")
    except ValidationError as problem:
        raise NotDelivered(
            "The delivery service answers something else than is agreed: "
            f"{problem.errors()[0]['msg']}."
        ) from problem


def _words(data: bytes) -> str:
    """What the service says in the clear, as much as fits a sentence."""
    try:
        told = json.loads(data)
    except ValueError:
        return ""
    said = told.get("detail") or told.get("title") if isinstance(told, dict) else None
    return f"({str(said)[:160].rstrip('.')})" if said else ""


def _asked(header: str | None) -> float:
    """Seconds that the service asks to be left alone for; dates are not read."""
    return float(header) if header and header.isdigit() else 0.0


def wait_in_slices(seconds: float, look: Callable[[], None]) -> None:
    """Wait, and look in between whether to go on."""
    end = time.monotonic() + seconds
    while (left := end - time.monotonic()) > 0:
        look()
        time.sleep(min(0.3, left))
