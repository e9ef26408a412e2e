"""``/api/health``: whether Sortija can do its work, for machines that watch it."""

from __future__ import annotations

import shutil
from datetime import timedelta

import psycopg
from django.conf import settings
from django.db import DatabaseError, InterfaceError
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.jobs.models import Heartbeat, Job

__all__ = ["Health", "health"]

LANES = ("quick", "long")
#: Seconds without a sign of life after which a worker is taken for dead.
SILENT = 30


class Check(BaseModel):
    """``words``: what is wrong and what to do; empty where nothing is."""

    well: bool
    words: str = ""


class Health(BaseModel):
    """``state`` is well only where every check is; ``waiting``: jobs that nobody has begun."""

    state: str
    database: Check
    workers: dict[str, Check]
    disk: Check
    free_bytes: int
    waiting: int


def health() -> Health:
    """Look at the database, each lane's worker, and the disk."""
    try:
        beats = dict(Heartbeat.objects.values_list("lane", "at"))
        waiting = Job.objects.filter(state=Job.WAITING).count()
        database = Check(well=True)
    except (DatabaseError, InterfaceError, psycopg.Error):
        beats, waiting = {}, 0
        database = Check(well=False, words="The database does not answer.")
    limit = timezone.now() - timedelta(seconds=SILENT)
    workers = {}
    for lane in LANES:
        seen = beats.get(lane)
        well = seen is not None and seen > limit
        since = f" since {seen:%Y-%m-%d %H:%M:%S} UTC" if seen else ""
        words = "" if well else f"The {lane} worker gave no sign of life{since}."
        workers[lane] = Check(well=well, words=words)
    free = shutil.disk_usage(settings.DATA).free
    enough = free >= settings.LEAST_DISK
    words = "" if enough else f"Less than {settings.LEAST_DISK >> 20:,} MiB are free."
    disk = Check(well=enough, words=words)
    all_well = database.well and disk.well and all(check.well for check in workers.values())
    return Health(
        state="well" if all_well else "unwell", database=database, workers=workers, disk=disk,
        free_bytes=free, waiting=waiting,
    )  # fmt: skip


class HealthView(APIView):
    """200 where all is well, else 503. Open to everybody who reaches it: it tells no figure."""

    authentication_classes = []
    permission_classes = [AllowAny]

    @extend_schema(responses={200: Health, 503: Health})
    def get(self, request: Request) -> Response:
        told = health()
        return Response(told.model_dump(), status=200 if told.state == "well" else 503)
