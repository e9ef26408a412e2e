"""Read files beside logs and customer tables: offers, their answers, districts."""

from __future__ import annotations

from collections.abc import Callable

import pyarrow as pa

from sortija.core.formats.geojson import AreaRows
from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.offers import AreaMapping, OfferMapping, ResponseMapping, ResponseReader
from sortija.core.ledger.parse_numbers import GOOD, read_decimals
from sortija.core.progress import Progress
from sortija.server.jobs.work import JobError
from sortija.server.ledger.customers.traits import TraitDetails
from sortija.server.ledger.intake.log_pass import cards_of, open_for
from sortija.server.ledger.intake.reading import add_cards
from sortija.server.ledger.intake.stored import IntakeReport
from sortija.server.ledger.models import Area, Intake
from sortija.server.studies.columns import write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population

__all__ = ["OTHERS"]


def read_responses(intake: Intake, progress: Progress) -> IntakeReport:
    """Store who took which offer as columns, one per offer; returns the report."""
    study, file = intake.study, open_for(intake)
    mapping = ResponseMapping(**intake.mapping)
    cards, reader = cards_of(study), ResponseReader(mapping)
    rows = without = 0
    known = len(cards)
    for batch in file.batches(list(mapping.roles.values())):
        progress("reading answers", rows, max(intake.original.lines - 1, 0))
        customer = cards.encode(batch.column(mapping.roles["customer"]))
        without += int((customer < 0).sum())
        try:
            reader.add(batch, customer)
        except MappingError as problem:
            raise JobError(str(problem)) from problem
        rows += batch.num_rows
    if rows == 0:
        raise JobError("The file has a head but no rows. Export it again.")
    add_cards(study, cards.texts, known)
    population = Population.objects.get(study=study, name="customers")
    stamp = fingerprint("offers", intake.token)
    columns = [
        (column, TraitDetails(type="offer", label=column.name))
        for column in reader.columns(len(cards))
    ]
    write_columns(population, columns, f"intake:{intake.pk}", stamp)
    return IntakeReport(
        rows=rows, offers=len(columns), new_cards=len(cards) - known,
        without_key=without, ragged=file.ragged_count, notes=file.notes,
        unread={"answer": reader.unread} if reader.unread else {},
    )  # fmt: skip


def read_offers(intake: Intake, progress: Progress) -> IntakeReport:
    """Keep what describes each offer, in the report; returns it."""
    file, mapping = open_for(intake), OfferMapping(**intake.mapping)
    table = pa.Table.from_batches(list(file.batches()))
    if table.num_rows == 0:
        raise JobError("The file has a head but no rows. Export it again.")
    key = mapping.roles["offer"]
    told = {
        row[key].strip(): {name: text for name, text in row.items() if name != key}
        for row in table.to_pylist()
    }
    progress("reading offers", table.num_rows, table.num_rows)
    return IntakeReport(
        rows=table.num_rows, offers=len(told), told=told,
        ragged=file.ragged_count, notes=file.notes,
    )  # fmt: skip


def read_areas(intake: Intake, progress: Progress) -> IntakeReport:
    """Store districts with their outlines; returns the report."""
    file, mapping = open_for(intake), AreaMapping(**intake.mapping)
    if not isinstance(file, AreaRows):
        raise JobError("Districts come as GeoJSON. Export them as a FeatureCollection.")
    (batch,) = file.batches()
    codes = [text.strip() for text in batch.column(mapping.roles["area"]).to_pylist()]
    twice = sorted({code for code in codes if codes.count(code) > 1})
    if twice or "" in codes:
        what = f"Two districts are called {twice[0]}." if twice else "A district has no code."
        raise JobError(f"{what} Choose another column for the code.")
    households: list[int | None] = [None] * len(codes)
    if "households" in mapping.roles:
        values, state = read_decimals(batch.column(mapping.roles["households"]), 0)
        households = [
            int(v) if s == GOOD and v >= 0 else None for v, s in zip(values, state, strict=True)
        ]
    progress("reading districts", len(codes), len(codes))
    Area.objects.bulk_create(
        Area(intake=intake, code=code, households=count, rings=rings)
        for code, count, rings in zip(codes, households, file.outlines, strict=True)
    )
    return IntakeReport(areas=len(codes), notes=file.notes)


#: Role of a file → how it is read. One transaction: all of it or nothing.
OTHERS: dict[str, Callable[[Intake, Progress], IntakeReport]] = {
    Intake.RESPONSES: read_responses, Intake.OFFERS: read_offers, Intake.AREAS: read_areas,
}  # fmt: skip
