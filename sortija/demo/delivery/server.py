"""The service over HTTP; what it offers stands in ``guide.html``."""

from __future__ import annotations

import json
import random
import sys
import threading
from dataclasses import dataclass, field
from datetime import date
from hmac import compare_digest
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit

from sortija.demo.delivery.purchases import next_log
from sortija.demo.delivery.store import Store
from sortija.demo.files import SEED, draw_people

__all__ = ["Service", "serve"]

_GUIDE = Path(__file__).with_name("guide.html")
_MOST_BYTES = 32 << 20
_MOST_MESSAGES = 1000


@dataclass(frozen=True)
class Service:
    """``token``: what callers are known by, empty for anybody; ``trouble``: the share of batches
    that meet an outage, one half before they are taken and one half after."""

    store: Store
    token: str = ""
    members: int = 6000
    trouble: float = 0.0
    chance: random.Random = field(default_factory=random.Random)


class _Handler(BaseHTTPRequestHandler):
    service: Service
    protocol_version = "HTTP/1.1"

    def log_message(self, *_: Any) -> None:
        """Requests are not written down."""

    def do_GET(self) -> None:
        at = urlsplit(self.path)
        if at.path == "/":
            self._answer(200, _GUIDE.read_bytes(), "text/html; charset=utf-8")
        elif at.path == "/counts":
            self._json(200, self.service.store.counts())
        elif at.path == "/log.csv":
            self._log(parse_qs(at.query).get("through", [""])[0])
        else:
            self._problem(404, "There is nothing here. / says what there is.")

    def _log(self, through: str) -> None:
        people = draw_people(self.service.members, SEED)
        try:
            day = date.fromisoformat(through)
            data = next_log(people, SEED, self.service.store.written(), day)
        except ValueError as problem:
            self._problem(400, f"Say through which day, as /log.csv?through=2026-09-30. {problem}")
            return
        self._answer(200, data, "text/csv; charset=utf-8", f"log-through-{day}.csv")

    def do_POST(self) -> None:
        length = int(self.headers.get("Content-Length") or 0)
        if length > _MOST_BYTES:
            self.close_connection = True
            self._problem(413, "A batch has up to 32 MiB.")
            return
        data = self.rfile.read(length)
        if urlsplit(self.path).path != "/messages":
            self._problem(404, "Letters are posted to /messages.")
            return
        said = self.headers.get("Authorization", "")
        if self.service.token and not compare_digest(said, f"Bearer {self.service.token}"):
            self._problem(401, "This token is not known here.")
            return
        key = self.headers.get("Idempotency-Key", "")
        if not key:
            self._problem(400, "A batch has a key: send the header Idempotency-Key.")
            return
        self._messages(key, data)

    def _messages(self, key: str, data: bytes) -> None:
        outage = self.service.chance.random() < self.service.trouble
        before = self.service.chance.random() < 0.5
        if outage and before:
            self._problem(503, "Back in a moment.")
            return
        try:
            body = json.loads(data)
            if not 0 < len(body["messages"]) <= _MOST_MESSAGES:
                raise ValueError(f"a batch has 1 to {_MOST_MESSAGES} messages")
            answer = self.service.store.take(key, body)
        except (ValueError, KeyError, TypeError) as problem:
            self._problem(400, f"This is no batch of letters: {problem}.")
            return
        if outage:
            self.close_connection = True  # taken, and nobody hears of it
            self.connection.close()
            return
        self._json(200, answer)

    def _json(self, status: int, told: Any) -> None:
        self._answer(status, json.dumps(told).encode(), "application/json")

    def _problem(self, status: int, detail: str) -> None:
        told = {"title": "Not done", "status": status, "detail": detail}
        self._answer(status, json.dumps(told).encode(), "application/problem+json")

    def _answer(self, status: int, data: bytes, kind: str, name: str = "") -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(data)))
        if name:
            self.send_header("Content-Disposition", f'attachment; filename="{name}"')
        self.end_headers()
        self.wfile.write(data)


class _Server(ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Callers who go away in the middle are nothing to speak of."""
        if not isinstance(sys.exception(), ConnectionError):
            super().handle_error(request, client_address)


def serve(service: Service, port: int) -> ThreadingHTTPServer:
    """The server, on loopback, in a thread of its own; port 0: any that is free."""
    handler = type("Handler", (_Handler,), {"service": service})
    server = _Server(("127.0.0.1", port), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server
