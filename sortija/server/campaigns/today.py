"""Today, as a study's campaigns see it."""

from __future__ import annotations

from datetime import date, timedelta

from django.utils import timezone

from sortija.server.studies.models import Study
from sortija.server.studies.trail import default_window

__all__ = ["today_of"]

#: A log whose last day is further back tells of another time than today's.
LONG_AGO = timedelta(days=62)


def today_of(study: Study) -> date:
    """Today; the last day of a log that ended long ago, which has its own today."""
    today, newest = timezone.localdate(), default_window(study)
    return newest.to if newest and today - newest.to > LONG_AGO else today
