"""Lenses: lists of clauses, stored by the hash of their canonical form."""

from __future__ import annotations

from django.db import models

from sortija.server.studies.models import Study

__all__ = ["Lens"]


class Lens(models.Model):
    """Clauses under their hash, which stands in the address of a page."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="lenses")
    digest = models.CharField(max_length=16)
    clauses = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "digest"], name="one_lens")]
