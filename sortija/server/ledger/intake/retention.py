"""Originals are kept as long as is wanted; what was counted from them stays."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db.models import Q
from django.utils import timezone

from sortija.server.jobs.upkeep import hourly
from sortija.server.ledger.intake.uploads import path_of, sweep
from sortija.server.ledger.models import Intake, Original
from sortija.server.studies.models import Study

__all__ = ["sweep_originals"]


@hourly
def sweep_originals() -> None:
    """Remove originals that were counted so many days ago, and uploads that broke off."""
    for study in Study.objects.all():
        sweep(study)
    if not settings.KEEP_ORIGINALS:
        return
    limit = timezone.now() - timedelta(days=settings.KEEP_ORIGINALS)
    done = (Intake.COUNTED, Intake.REMOVED)
    recent = Intake.objects.filter(~Q(state__in=done) | Q(counted_at__gte=limit))
    used = Q(pk__in=recent.values("original")) | Q(
        pk__in=recent.exclude(heads=None).values("heads")
    )
    old = Original.objects.filter(begun_at__lt=limit).exclude(sha256="").exclude(used)
    old = old.filter(attachment=None)  # what lies elsewhere is not ours to remove
    note = f"The file was removed {settings.KEEP_ORIGINALS} days after it was counted."
    for original in old.exclude(note=note):
        path_of(original).unlink(missing_ok=True)
        original.note = note
        original.save(update_fields=["note"])
