"""``work --lane quick``: take jobs from one lane until told to stop."""

from __future__ import annotations

import logging
import threading
import time
from contextlib import suppress
from typing import Any

import psycopg
from django.core.management.base import BaseCommand, CommandParser
from django.db import OperationalError, close_old_connections
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.exceptions import ConnectorException

from sortija.core.engine import memory
from sortija.server.jobs.models import Heartbeat
from sortija.server.jobs.niceness import let_screens_go_first
from sortija.server.jobs.upkeep import look_after
from sortija.server.jobs.work import recover

log = logging.getLogger(__name__)
_SECONDS_BETWEEN_LOOKS = 5.0
_SECONDS_BETWEEN_TRIES = 1.0


class Command(BaseCommand):
    help = "Take jobs from one lane until told to stop."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--lane", choices=("quick", "long"), required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        let_screens_go_first()
        memory.keep()
        stop = threading.Event()
        looks = threading.Thread(target=self._look_after, args=(stop, options["lane"]), daemon=True)
        looks.start()
        try:
            while True:
                try:
                    self._take_jobs(options["lane"])
                    return
                except (ConnectorException, psycopg.Error, OperationalError) as problem:
                    # The database was restarted: what ran is taken up again when it is back.
                    log.warning("the database is away (%s); trying again", problem)
                    time.sleep(_SECONDS_BETWEEN_TRIES)
        finally:
            stop.set()

    def _take_jobs(self, lane: str) -> None:
        connector: Any = app.connector
        with app.replace_connector(connector.get_worker_connector()) as worker:
            worker.run_worker(
                queues=[lane],
                concurrency=1,
                fetch_job_polling_interval=1,
                shutdown_graceful_timeout=10,
                delete_jobs="always",
            )

    def _look_after(self, stop: threading.Event, lane: str) -> None:
        """Give a sign of life; the quick lane brings back the jobs of workers that died, too."""
        while not stop.wait(0.0):
            close_old_connections()
            with suppress(OperationalError, psycopg.Error):
                Heartbeat.objects.update_or_create(lane=lane, defaults={"at": timezone.now()})
                if lane == "quick":
                    recover()
                    look_after()
            if stop.wait(_SECONDS_BETWEEN_LOOKS):
                return
