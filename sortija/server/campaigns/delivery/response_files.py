"""Responses that come as a file: its columns are proposed, put right by hand, and remembered."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import UTC, datetime, time
from typing import Any, Literal

from django.utils import timezone
from pydantic import BaseModel

from sortija.core.campaigns.letters import KINDS, LetterMapping, Unread, propose, read_letters
from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.server.campaigns.delivery.events import Event, Taken, take_events
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.ledger.customers.erased_codes import pseudonym_of
from sortija.server.ledger.customers.owners import owners_of
from sortija.server.ledger.intake.uploads import drop_upload, path_of
from sortija.server.ledger.models import Card, Original
from sortija.server.studies.actions import change_setting, read_setting, record
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["FileMapping", "FileTaken", "LookedAt", "look_at", "take_file"]

_SHOWN = 3


class FileMapping(BaseModel):
    """How a file of responses is read; see ``core.campaigns.letters.LetterMapping``."""

    who: str
    by: Literal["card", "address", "pseudonym"] = "card"
    what: str = ""
    values: dict[str, str] = {}
    all_are: str = ""
    when: str = ""
    month_first: bool = False


class FileColumn(BaseModel):
    """A column of the file, and the first things in it."""

    name: str
    first: list[str]


class LookedAt(BaseModel):
    """``mapping``: as it is proposed; ``remembered``: as a file with these columns was read
    before; ``found``: of the first rows, how many name somebody whom the campaign wrote to;
    ``values``: of each column that may say what happened, what stands in it."""

    name: str
    columns: list[FileColumn]
    values: dict[str, list[str]]
    kinds: list[str]
    mapping: FileMapping
    remembered: bool
    found: int
    rows: int


class UnreadRow(BaseModel):
    reason: str
    rows: int
    first: str


class FileTaken(BaseModel):
    """What was taken, and rows that could not be used, by reason with the first of each."""

    told: Taken
    unread: list[UnreadRow]


def _file(study: Study, upload: int) -> tuple[Original, RowsFile]:
    original = Original.objects.filter(study=study, pk=upload).first()
    if original is None or not original.whole:
        raise Problem("There is no such file. Upload it again.", 404)
    try:
        return original, open_rows(path_of(original), original.name)
    except (UnreadableFile, FileNotFoundError) as problem:
        raise Problem(str(problem)) from problem


def _written(campaign: Campaign) -> dict[str, dict[str, int]]:
    """Card, address or pseudonym → customer, of those whom the campaign wrote to."""
    drawn = drawn_of(campaign)
    written = set(drawn.customers[~drawn.held].tolist())
    of = owners_of(campaign.study).of
    known: dict[str, dict[str, int]] = {"card": {}, "address": {}, "pseudonym": {}}
    rows = Card.objects.filter(study=campaign.study).exclude(code="")
    for number, code, address in rows.values_list("number", "code", "address"):
        customer = int(of[number]) if number < len(of) else number
        if customer in written:
            known["card"][code] = customer
            known["pseudonym"][pseudonym_of(campaign.study, code)] = customer
            if address:
                known["address"][address.lower()] = customer
    return known


def look_at(campaign: Campaign, upload: int) -> LookedAt:
    """How a file is most likely to be read, for a person to put right."""
    original, file = _file(campaign.study, upload)
    try:
        rows = file.first_rows(500)
    except UnreadableFile as problem:
        raise Problem(str(problem)) from problem
    written = _written(campaign)
    kept, _ = read_setting(campaign.study, _key(file), None)
    guess = propose(rows, written)
    mapping = FileMapping.model_validate(kept) if kept else _asked(guess)
    told = {name: [c for c in rows.column(name).to_pylist() if c] for name in rows.schema.names}
    values = {name: sorted(set(cells)) for name, cells in told.items() if len(set(cells)) <= 40}
    for value in values.get(mapping.what, []):
        mapping.values.setdefault(value, guess.values.get(value, ""))
    there = [_as_known(mapping.by, cell) for cell in told.get(mapping.who, [])]
    return LookedAt(
        name=original.name,
        columns=[FileColumn(name=n, first=list(dict.fromkeys(c))[:_SHOWN])
                 for n, c in told.items()],
        values=values, kinds=list(KINDS), mapping=mapping, remembered=bool(kept),
        found=sum(name in written[mapping.by] for name in there),
        rows=rows.num_rows,
    )  # fmt: skip


def take_file(campaign: Campaign, person: Any, upload: int, asked: FileMapping) -> FileTaken:
    """Take the responses of a file, whole or not at all; how it was read is remembered.

    Raises
    ------
    Problem
        The mapping names a column or a kind that there is not, or no row can be used.
    """
    original, file = _file(campaign.study, upload)
    mapping = _checked(file, asked)
    unread = Unread()
    try:
        events = list(_events(campaign, file, mapping, unread))
    except UnreadableFile as problem:
        raise Problem(str(problem)) from problem
    rows = [UnreadRow(reason=r, rows=n, first=unread.first[r]) for r, n in unread.rows.items()]
    if not events:
        said = "; ".join(f"{row.reason} ({row.rows:,} rows, such as “{row.first}”)" for row in rows)
        raise Problem(f"No row of {original.name} can be used: {said or 'it has none'}.")
    told = take_events(campaign, events)
    change_setting(campaign.study, person, _key(file), asked.model_dump(),
                   f"Said how {original.name} is read")  # fmt: skip
    record(
        campaign.study, person, "responses", f"Took {told.taken:,} responses to {campaign.name} "
        f"from {original.name}", f"campaign:{campaign.pk}", None, None,
    )  # fmt: skip
    drop_upload(original)
    return FileTaken(told=told, unread=rows)


def _checked(file: RowsFile, asked: FileMapping) -> LetterMapping:
    for name in (asked.who, asked.what, asked.when):
        if name and name not in file.names:
            raise Problem(f"The file has no column “{name}”.")
    kinds = {"", *KINDS}
    if not asked.who:
        raise Problem("Say which column names the customers.")
    if not asked.what and asked.all_are not in KINDS:
        raise Problem("Say which column tells what happened, or what all rows are.")
    if wrong := (set(asked.values.values()) | {asked.all_are}) - kinds:
        raise Problem(f"“{wrong.pop()}” is nothing that becomes of a letter.")
    return LetterMapping(**asked.model_dump())


def _events(
    campaign: Campaign, file: RowsFile, mapping: LetterMapping, unread: Unread
) -> Iterator[Event]:
    known = _written(campaign)[mapping.by]
    columns = [name for name in (mapping.who, mapping.what, mapping.when) if name]
    unsaid = _unsaid(campaign)
    for who, kind, seconds in read_letters(
        file.batches(list(dict.fromkeys(columns))), mapping, unread
    ):
        customer = known.get(_as_known(mapping.by, who))
        if customer is None:
            unread.add("nobody whom this campaign wrote to", who)
            continue
        at = unsaid if math.isnan(seconds) else datetime.fromtimestamp(seconds, UTC)
        yield Event(customer, kind, at)


def _as_known(by: str, name: str) -> str:
    """A name as it is looked for: addresses in small letters."""
    return name.strip().lower() if by == "address" else name.strip()


def _unsaid(campaign: Campaign) -> datetime:
    """When it happened, where a file does not say: on the day of sending, or now if that is
    earlier."""
    sent = datetime.combine(campaign.send_on, time(12), UTC)
    return min(sent, timezone.now())


def _asked(guess: LetterMapping) -> FileMapping:
    return FileMapping(
        who=guess.who, by=guess.by, what=guess.what,  # type: ignore[arg-type]
        values=dict(guess.values), all_are=guess.all_are, when=guess.when,
    )  # fmt: skip


def _key(file: RowsFile) -> str:
    """Files with the same columns are read alike."""
    return f"responses {fingerprint('heads', list(file.names))[:40]}"
