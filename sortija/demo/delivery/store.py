"""What the service has taken, in one file: a batch with its answer, whole or not at all."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from sortija.demo.delivery.letters import events_of, why_refused

__all__ = ["Store", "Written"]

_TABLES = """
CREATE TABLE IF NOT EXISTS batch (key TEXT PRIMARY KEY, answer TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS letter (
  number INTEGER PRIMARY KEY, reference TEXT NOT NULL, card TEXT NOT NULL, address TEXT NOT NULL,
  version TEXT NOT NULL, campaign TEXT NOT NULL, send_on TEXT NOT NULL, read_on TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS event (
  number INTEGER PRIMARY KEY, reference TEXT NOT NULL, kind TEXT NOT NULL, at TEXT NOT NULL,
  events_to TEXT NOT NULL, told INTEGER NOT NULL DEFAULT 0);
CREATE INDEX IF NOT EXISTS untold ON event (told, number);
"""


@dataclass(frozen=True)
class Written:
    """Somebody to whom a letter of a campaign went."""

    card: str
    reference: str
    campaign: str
    send_on: date
    read_on: date


class Store:
    """Everything that the service knows; safe to use from several threads."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        with closing(self._open()) as database:
            database.executescript(_TABLES)

    def _open(self) -> sqlite3.Connection:
        database = sqlite3.connect(self.path, timeout=30, isolation_level=None)
        database.execute("PRAGMA journal_mode=WAL")
        return database

    def take(self, key: str, body: Mapping[str, Any]) -> dict[str, Any]:
        """Take a batch of letters; one that comes again gets the answer that it got before."""
        with closing(self._open()) as database:
            database.execute("BEGIN IMMEDIATE")
            before = database.execute("SELECT answer FROM batch WHERE key = ?", [key]).fetchone()
            if before:
                database.execute("ROLLBACK")
                told: dict[str, Any] = json.loads(before[0])
                return told
            answer = self._taken(database, body)
            database.execute("INSERT INTO batch VALUES (?, ?)", [key, json.dumps(answer)])
            database.execute("COMMIT")
        return answer

    def _taken(self, database: sqlite3.Connection, body: Mapping[str, Any]) -> dict[str, Any]:
        campaign, events_to = body["campaign"], str(body.get("events_to", ""))
        send_on, read_on = date.fromisoformat(campaign["send_on"]), campaign["read_on"]
        refused, letters, events = [], [], []
        for message in body["messages"]:
            reference, address = str(message["reference"]), str(message.get("address", ""))
            if why := why_refused(address):
                refused.append({"reference": reference, "why": why})
                continue
            letters.append(
                (reference, str(message.get("card", "")), address,
                 str(message.get("version", "")), str(campaign["reference"]),
                 send_on.isoformat(), read_on)
            )  # fmt: skip
            events += [
                (reference, kind, at.isoformat(), events_to)
                for kind, at in events_of(reference, send_on)
            ]
        database.executemany(
            "INSERT INTO letter (reference, card, address, version, campaign, send_on, read_on) "
            "VALUES (?, ?, ?, ?, ?, ?, ?)", letters,
        )  # fmt: skip
        database.executemany(
            "INSERT INTO event (reference, kind, at, events_to) VALUES (?, ?, ?, ?)", events
        )
        return {"taken": len(letters), "refused": refused}

    def untold(self, count: int) -> list[tuple[int, str, str, str, str]]:
        """The next events that nobody was told of: number, reference, kind, at, address."""
        with closing(self._open()) as database:
            return database.execute(
                "SELECT number, reference, kind, at, events_to FROM event "
                "WHERE told = 0 AND events_to <> '' ORDER BY number LIMIT ?", [count],
            ).fetchall()  # fmt: skip

    def told(self, numbers: Sequence[int]) -> None:
        """These were told."""
        with closing(self._open()) as database:
            database.executemany("UPDATE event SET told = 1 WHERE number = ?",
                                 [(number,) for number in numbers])  # fmt: skip

    def written(self) -> list[Written]:
        """Everybody to whom a letter went, each letter once."""
        with closing(self._open()) as database:
            rows = database.execute(
                "SELECT card, reference, campaign, send_on, read_on FROM letter "
                "GROUP BY reference ORDER BY number"
            ).fetchall()
        return [
            Written(card, reference, campaign, date.fromisoformat(sent), date.fromisoformat(read))
            for card, reference, campaign, sent, read in rows
        ]

    def counts(self) -> dict[str, Any]:
        """Letters, people, letters that came twice, and events by kind."""
        with closing(self._open()) as database:
            letters, people = database.execute(
                "SELECT count(*), count(DISTINCT reference) FROM letter"
            ).fetchone()
            kinds = dict(database.execute("SELECT kind, count(*) FROM event GROUP BY kind"))
            waiting = database.execute("SELECT count(*) FROM event WHERE told = 0").fetchone()[0]
        return {
            "letters": letters, "twice": letters - people, "events": kinds, "to_be_told": waiting,
        }  # fmt: skip
