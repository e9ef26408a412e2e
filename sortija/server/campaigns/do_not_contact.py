"""The do-not-contact list: a kept list of customers whom no campaign writes to."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.server.lens.models import KeptLens
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["DO_NOT_CONTACT", "DoNotContact", "choose_list", "do_not_contact_body", "on_the_list"]

#: The setting that says which kept list it is, 0 for none.
DO_NOT_CONTACT = "campaigns.do_not_contact"


class KeptListRow(BaseModel):
    id: int
    name: str


class DoNotContact(BaseModel):
    """``kept``: the list in force, null without one; ``lists``: those that can be chosen."""

    kept: int | None
    customers: int
    lists: list[KeptListRow]
    revision: int


def _list(study: Study, number: int) -> KeptLens | None:
    """A list, also one that was deleted since: who asked not to be written to stays so."""
    rows = KeptLens.objects.filter(study=study, pk=number, kind=KeptLens.LIST)
    return rows.select_related("members").first()


def do_not_contact_body(study: Study) -> DoNotContact:
    """The list for the wire."""
    number, revision = read_setting(study, DO_NOT_CONTACT, 0)
    kept = _list(study, number)
    lists = KeptLens.objects.filter(study=study, dropped=False, kind=KeptLens.LIST).order_by("name")
    rows = [KeptListRow(id=each.pk, name=each.name) for each in lists]
    if kept is not None and kept.dropped:
        rows.append(KeptListRow(id=kept.pk, name=f"{kept.name} (deleted)"))
    return DoNotContact(
        kept=kept.pk if kept else None, customers=kept.customers if kept else 0, lists=rows,
        revision=revision,
    )  # fmt: skip


def on_the_list(study: Study, size: int) -> NDArray[np.bool_]:
    """(n,) who asked not to be written to."""
    number, _ = read_setting(study, DO_NOT_CONTACT, 0)
    kept = _list(study, number)
    if kept is None or kept.members is None:
        return np.zeros(size, np.bool_)
    return np.asarray(read_column(kept.members).sized(size).values) > 0


def choose_list(study: Study, person: Any, number: int | None, expected: int) -> None:
    """Say which kept list it is; undo takes that back.

    Raises
    ------
    Problem
        404: there is no such list.
    """
    kept = _list(study, number or 0)
    if number is not None and kept is None:
        raise Problem("There is no such list. Keep one with the lens first.", 404)
    words = f"Nobody on {kept.name} is written to" if kept else "No list keeps customers from mail"
    change_setting(study, person, DO_NOT_CONTACT, number or 0, words, 0, expected)
