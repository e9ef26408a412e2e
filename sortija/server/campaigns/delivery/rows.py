"""The rows of a list as they leave: card, address, segment, version, and chosen columns."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.formats.exports import Told
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.drawn import VERSIONS, Drawn, drawn_of
from sortija.server.campaigns.models import Campaign, Departure
from sortija.server.campaigns.people import state_words
from sortija.server.ledger.customers.erased_codes import pseudonym_of
from sortija.server.ledger.customers.opt_outs import opted_out
from sortija.server.ledger.models import Card
from sortija.server.lens.listing import Listing
from sortija.server.studies.problems import Problem

__all__ = ["MOST_COLUMNS", "Leaving", "as_begun", "columns_of", "leaving_of"]

MOST_COLUMNS = 20
CARD = Told("card", "card", "text", "", "The code on the customer's card.")
PSEUDONYM = Told(
    "pseudonym", "pseudonym", "text", "", "Stands for the card, which only Sortija knows."
)
ADDRESS = Told("address", "address", "text", "", "Where the customer is written to.")
SEGMENT = Told("segment", "segment", "text", "", "The customer's segment on the day of the draw.")
VERSION = Told("version", "version", "text", "", "Which version the customer is sent.")


@dataclass(frozen=True)
class Leaving:
    """Whom a list names: ``customers``, ascending, without the ``passed_over`` who opted out since
    the draw; ``columns``: what it says of each, the ``chosen`` fields last; ``pseudonyms``: cards
    are not named."""

    campaign: Campaign
    customers: NDArray[np.int64]
    passed_over: int
    columns: tuple[Told, ...]
    chosen: tuple[str, ...]
    pseudonyms: bool
    _drawn: Drawn
    _labels: tuple[str, ...]
    _chosen: Listing | None

    def rows(self, customers: NDArray[np.int64]) -> list[list[Any]]:
        """A row for each of these: the customer's number, then a cell for every column.

        Who was erased since has no row.
        """
        cards = Card.objects.filter(study=self.campaign.study, number__in=customers.tolist())
        known = {n: told for n, *told in cards.values_list("number", "code", "address") if told[0]}
        customers = customers[np.isin(customers, list(known))]
        place = np.searchsorted(self._drawn.customers, customers)
        cells: list[Sequence[Any]] = [
            customers.tolist(),
            *zip(*(self._named(*known[number]) for number in customers.tolist()), strict=True),
            [self._label(s) for s in self._drawn.segment[place].tolist()],
        ]
        if self.campaign.versions:
            cells.append([VERSIONS[v - 1] for v in self._drawn.version[place].tolist()])
        if self._chosen is not None:
            chosen = self._chosen
            cells += [_plain(chosen.cells(f, customers)) for f in chosen.fields]
        return [list(row) for row in zip(*cells, strict=True)] if len(customers) else []

    def _named(self, code: str, address: str) -> tuple[str, str]:
        return (pseudonym_of(self.campaign.study, code) if self.pseudonyms else code), address

    def without(self, blocks: Iterable[Sequence[Sequence[Any]]]) -> NDArray[np.int64]:
        """The customers who are in none of these blocks of rows."""
        gone = [row[0] for rows in blocks for row in rows]
        return self.customers[~np.isin(self.customers, gone)]

    def _label(self, segment: int) -> str:
        return self._labels[segment] if segment < len(self._labels) else ""


def _plain(cells: list[Any]) -> list[Any]:
    """Days as text, as JSON has them."""
    return [cell.isoformat() if isinstance(cell, date) else cell for cell in cells]


def leaving_of(
    campaign: Campaign, chosen: Sequence[str] = (), pseudonyms: bool = False
) -> Leaving:  # fmt: skip
    """The list of a drawn campaign as it leaves now; ``chosen``: fields of the lens besides,
    ``pseudonyms``: instead of cards.

    Raises
    ------
    Problem
        There is no such column, or there are too many.
    """
    if len(chosen) > MOST_COLUMNS:
        raise Problem(f"A list has up to {MOST_COLUMNS} columns of your choice.")
    drawn = drawn_of(campaign)
    written = drawn.customers[~drawn.held]
    size = int(drawn.customers.max(initial=-1)) + 1
    gone = opted_out(campaign.study, size)[written]
    listing = Listing(campaign.study, window_of(campaign), [], list(chosen), "", False) if (
        chosen) else None  # fmt: skip
    labels = state_words(campaign.yardstick)
    columns = (
        PSEUDONYM if pseudonyms else CARD,
        ADDRESS,
        SEGMENT,
        *([VERSION] if campaign.versions else []),
    )
    if listing is not None:
        columns += tuple(listing.told()[1:])
    return Leaving(
        campaign,
        written[~gone],
        int(gone.sum()),
        columns,
        tuple(chosen),
        pseudonyms,
        drawn,
        labels,
        listing,
    )


def as_begun(departure: Departure) -> Leaving:
    """The list as it leaves now, with the columns that it was begun with."""
    chosen = [column["field"] for column in departure.columns if column["field"]]
    pseudonyms = departure.columns[0]["name"] == PSEUDONYM.name
    return leaving_of(departure.campaign, chosen, pseudonyms)


def columns_of(leaving: Leaving) -> list[dict[str, Any]]:
    """The columns as a departure keeps them; ``field``: of those that were chosen."""
    own = len(leaving.columns) - len(leaving.chosen)
    return [
        {"name": c.name, "label": c.label, "kind": c.kind, "unit": c.unit,
         "definition": c.definition, "field": leaving.chosen[n - own] if n >= own else ""}
        for n, c in enumerate(leaving.columns)
    ]  # fmt: skip
