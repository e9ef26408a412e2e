"""``work --lane quick``: take jobs from one lane until told to stop."""

from __future__ import annotations

import asyncio
import logging
import os
import signal
import threading
from contextlib import suppress
from typing import Any

import psycopg
from django.core.management.base import BaseCommand, CommandParser
from django.db import Error, close_old_connections
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
#: Once asked to stop: to finish the job, then to end in whatever state the database is.
_SECONDS_TO_FINISH = 10
_SECONDS_TO_END = 15


class Command(BaseCommand):
    help = "Take jobs from one lane until told to stop."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--lane", choices=("quick", "long"), required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        let_screens_go_first()
        memory.keep()
        self._asked_to_stop = threading.Event()
        looks = threading.Thread(target=self._look_after, args=(options["lane"],), daemon=True)
        looks.start()
        while not self._asked_to_stop.is_set():
            try:
                asyncio.run(self._take_jobs(options["lane"]))
            except asyncio.CancelledError:
                return
            except (ConnectorException, psycopg.Error, Error) as problem:
                # The database was restarted: what ran is taken up again when it is back.
                log.warning("the database is away (%s); trying again", problem)
                self._asked_to_stop.wait(_SECONDS_BETWEEN_TRIES)

    async def _take_jobs(self, lane: str) -> None:
        """Until asked to stop, or the database goes away."""
        taking = asyncio.current_task()
        assert taking is not None
        for number in (signal.SIGINT, signal.SIGTERM):
            asyncio.get_running_loop().add_signal_handler(number, self._stop, taking)
        connector: Any = app.connector
        with app.replace_connector(connector.get_worker_connector()) as worker:
            async with worker.open_async():
                await worker.run_worker_async(
                    queues=[lane],
                    concurrency=1,
                    fetch_job_polling_interval=1,
                    shutdown_graceful_timeout=_SECONDS_TO_FINISH,
                    delete_jobs="always",
                    install_signal_handlers=False,
                )

    def _stop(self, taking: asyncio.Task[None]) -> None:
        """Let the job finish; a worker whose database stopped before it ends too."""
        if not self._asked_to_stop.is_set():
            self._asked_to_stop.set()
            last = threading.Timer(_SECONDS_TO_END, os._exit, (1,))
            last.daemon = True
            last.start()
        taking.cancel()

    def _look_after(self, lane: str) -> None:
        """Give a sign of life; the quick lane brings back the jobs of workers that died, too."""
        while not self._asked_to_stop.is_set():
            close_old_connections()
            with suppress(Error, psycopg.Error):
                Heartbeat.objects.update_or_create(lane=lane, defaults={"at": timezone.now()})
                if lane == "quick":
                    recover()
                    look_after()
            self._asked_to_stop.wait(_SECONDS_BETWEEN_LOOKS)
