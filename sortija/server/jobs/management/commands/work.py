"""``work --lane quick``: take jobs from one lane until told to stop."""

from __future__ import annotations

import threading
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import close_old_connections
from procrastinate.contrib.django import app

from sortija.server.jobs.work import recover

_SECONDS_BETWEEN_LOOKS = 5.0


class Command(BaseCommand):
    help = "Take jobs from one lane until told to stop."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--lane", choices=("quick", "long"), required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        stop = threading.Event()
        if options["lane"] == "quick":
            threading.Thread(target=self._look_after, args=(stop,), daemon=True).start()
        try:
            connector: Any = app.connector
            with app.replace_connector(connector.get_worker_connector()) as worker:
                worker.run_worker(
                    queues=[options["lane"]],
                    concurrency=1,
                    fetch_job_polling_interval=1,
                    shutdown_graceful_timeout=10,
                    delete_jobs="always",
                )
        finally:
            stop.set()

    def _look_after(self, stop: threading.Event) -> None:
        """Bring back the jobs of workers that died."""
        while not stop.wait(0.0):
            close_old_connections()
            recover()
            if stop.wait(_SECONDS_BETWEEN_LOOKS):
                return
