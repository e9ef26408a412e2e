"""A campaign that was sent from elsewhere: its list with both arms is brought in, its result told
from the log."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from datetime import date
from typing import Any

import numpy as np
from django.utils import timezone
from numpy.typing import NDArray

from sortija.core.campaigns.holdout import Holdout
from sortija.server.campaigns.actions import checked_plan
from sortija.server.campaigns.drawn import keep_drawn
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import Audience
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.ledger.customers.owners import owners_of
from sortija.server.ledger.models import Card
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Population, Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["bring_in_past", "read_arms"]

_ARMS = {"written": False, "held": True}


def bring_in_past(
    study: Study, person: Any, name: str, send_on: date, read_on: date, arms: Mapping[str, str]
) -> Campaign:
    """Keep a campaign whose list was drawn and sent elsewhere.

    Parameters
    ----------
    arms : card → ``written`` or ``held``

    Raises
    ------
    Problem
        Nobody on the list is known, or one customer is in both arms.
    """
    checked_plan(name, send_on, read_on, 0)
    customers, held = _known(study, arms)
    window = WindowInView(send_on, "12")
    with changing(study):
        size = Population.objects.get(study=study, name="customers").size
        yardstick = yardstick_of(study)
        placed = assignment_at(study, yardstick, window) if yardstick else None
        segment = np.zeros(len(customers), np.int64)
        if placed is not None:
            segment = np.asarray(placed.placement.state, np.int64)[customers]
        audience = Audience(
            lens=len(arms), fell_away={}, fell=np.zeros(size, np.int8), customers=customers,
            segment=segment, yardstick=yardstick if placed else None,
            value=np.zeros(len(customers), np.int64), base_rate=None, untold="",
            basket=float("nan"), made_from="",
        )  # fmt: skip
        campaign = Campaign(
            study=study, person=person, name=name.strip(), window=window.key, send_on=send_on,
            read_on=read_on, holdout=float(held.mean()), seed=0, state=Campaign.HANDED,
            fell_away={"lens": len(arms), "not known here": len(arms) - len(customers)},
            drawn_at=timezone.now(), handed_at=timezone.now(),
        )  # fmt: skip
        campaign.save()
        keep_drawn(campaign, audience, Holdout(held, segment))
        campaign.save()
        record(
            study, person, "bring in campaign", f"Brought in {campaign.name}",
            f"campaign:{campaign.pk}", True, False,
        )  # fmt: skip
    return campaign


@reverses("bring in campaign")
def _reverse(entry: HistoryEntry, forward: bool) -> None:
    wanted = bool(entry.after if forward else entry.before)
    rows = Campaign.objects.filter(pk=int(entry.target.removeprefix("campaign:")))
    rows.update(dropped=wanted)


def read_arms(text: str) -> dict[str, str]:
    """Card → arm, from a CSV with the columns ``card`` (or ``customer``) and ``group``.

    Raises
    ------
    Problem
        A column is not there, a cell is empty, or one card has two rows.

    >>> read_arms("card;group\\nA;written\\nB;held\\n")
    {'A': 'written', 'B': 'held'}
    """
    head = text.partition("\n")[0]
    rows = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), delimiter=";" if ";" in head else ",")
    names = rows.fieldnames or []
    key = next((name for name in ("card", "customer") if name in names), None)
    if key is None or "group" not in names:
        raise Problem(
            "The list needs a column card and a column group, which says written or held. Its "
            f"columns are {', '.join(names) or 'none'}."
        )
    arms: dict[str, str] = {}
    for number, row in enumerate(rows, 2):
        card, arm = (row.get(key) or "").strip(), (row.get("group") or "").strip()
        if not card or arm not in _ARMS:
            raise Problem(
                f"Row {number} says “{card}”, “{arm}”. Each has a card, and is written or held."
            )
        if card in arms:
            raise Problem(f"Row {number}: {card} is on the list twice.")
        arms[card] = arm
    if not arms:
        raise Problem("The list has no rows.")
    return arms


def _known(
    study: Study, arms: Mapping[str, str]
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:  # fmt: skip
    """Row numbers of those on the list, ascending, and who of them was held out."""
    rows = Card.objects.filter(study=study, code__in=list(arms))
    owner = owners_of(study).of
    of: dict[int, tuple[str, bool]] = {}
    for card, code in rows.values_list("number", "code"):
        number = int(owner[card])
        held = _ARMS[arms[code]]
        other = of.get(number)
        if other is not None and other[1] != held:
            raise Problem(f"{code} and {other[0]} are one customer, written to and held out.")
        of[number] = (code, held)
    if not of:
        raise Problem("None of these customers is known here. Is it the list of another shop?")
    numbers = np.array(sorted(of), np.int64)
    return numbers, np.array([of[number][1] for number in numbers.tolist()], np.bool_)
