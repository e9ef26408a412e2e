"""Letters go to the delivery service, block after block: nobody twice, nobody left out."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import F
from django.utils import timezone
from numpy.typing import NDArray

from sortija.core.progress import Stopped
from sortija.server.campaigns.delivery.outbox import PUSH, begin
from sortija.server.campaigns.delivery.post import Answer, NotDelivered, post_batch, wait_in_slices
from sortija.server.campaigns.delivery.rows import Leaving, as_begun
from sortija.server.campaigns.delivery.service import events_address, service_of
from sortija.server.campaigns.models import Block, DeliveryService, Departure
from sortija.server.jobs.models import Job
from sortija.server.jobs.passing import passing
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.ledger.customers.opt_outs import opted_out
from sortija.server.studies.actions import changing, touch
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["BLOCK"]

#: Letters that go together.
BLOCK = 500


@handles(PUSH)
def _push(job: Job, running: Running) -> None:
    """Send what has not been sent: a worker that died is followed by one that goes on."""
    departure = begin(job.arguments["departure"])
    if departure is None:
        return
    try:
        service = service_of(departure.campaign.study)
        if service is None:
            raise NotDelivered("No delivery service is known any more.")
        _send_all(departure, service, running)
    except (NotDelivered, Problem) as problem:
        _end(departure, Departure.STOPPED, str(problem))
        raise JobError(str(problem)) from problem
    except Stopped:
        _end(departure, Departure.STOPPED, "")
        raise
    except Exception as problem:
        if not passing(problem):
            _end(departure, Departure.STOPPED, "Something went wrong that we did not foresee.")
        raise
    _end(departure, Departure.GONE, "")


def _send_all(departure: Departure, service: DeliveryService, running: Running) -> None:
    leaving = as_begun(departure)
    begun = list(departure.blocks.order_by("number"))
    done = sum(len(block.rows) for block in begun)
    for block in begun:
        if block.sent_at is None:
            _send(departure, service, leaving, block, running)
    left = leaving.without(block.rows for block in begun)
    number = begun[-1].number + 1 if begun else 0
    for first in range(0, len(left), BLOCK):
        running.progress("letters", done + first, done + len(left))
        made = _made(departure, leaving, left[first : first + BLOCK], number)
        if made is None:
            continue
        _send(departure, service, leaving, made, running)
        number += 1


def _made(
    departure: Departure, leaving: Leaving, customers: NDArray[np.int64], number: int
) -> Block | None:
    """The next block, kept before it leaves; from then on its rows are these.

    Whoever opted out in this very minute is not in it.
    """
    study = departure.campaign.study
    with changing(study):
        if Departure.objects.get(pk=departure.pk).state != Departure.GOING:
            raise Stopped
        gone = opted_out(study, int(customers.max()) + 1)[customers]
        rows = leaving.rows(customers[~gone])
        if not rows:
            return None
        return Block.objects.create(
            departure=departure, number=number, first=rows[0][0], last=rows[-1][0], rows=rows
        )


def _send(
    departure: Departure, service: DeliveryService, leaving: Leaving, block: Block,
    running: Running,
) -> None:  # fmt: skip
    def pause(seconds: float) -> None:
        wait_in_slices(seconds, lambda: running.progress("waiting for the service", 0, 0))

    answer = post_batch(service, str(block.key), _body(departure, leaving, block), pause)
    _kept(departure, block, answer)


def _body(departure: Departure, leaving: Leaving, block: Block) -> dict[str, Any]:
    campaign = departure.campaign
    names = [column["name"] for column in departure.columns]
    return {
        "campaign": {
            "reference": str(campaign.pk), "name": campaign.name,
            "send_on": campaign.send_on.isoformat(), "read_on": campaign.read_on.isoformat(),
        },
        "events_to": events_address(campaign.study),
        "messages": [
            {"reference": f"{departure.pk}-{customer}", **dict(zip(names, cells, strict=True))}
            for customer, *cells in block.rows
            if cells[0]  # not of somebody who was erased meanwhile
        ],
    }  # fmt: skip


def _kept(departure: Departure, block: Block, answer: Answer) -> None:
    """Write down that a block has left, and what of it the service does not take."""
    there = {row[0] for row in block.rows}
    refused = []
    for each in answer.refused:
        customer = each.reference.rpartition("-")[2]
        if customer.isdigit() and int(customer) in there:
            refused.append([int(customer), each.why[:200]])
    with transaction.atomic():
        block.sent_at, block.refused = timezone.now(), refused
        block.save(update_fields=["sent_at", "refused"])
        Departure.objects.filter(pk=departure.pk).update(
            sent=F("sent") + len(block.rows) - len(refused), refused=F("refused") + len(refused)
        )


def _end(departure: Departure, state: str, trouble: str) -> None:
    study = departure.campaign.study
    with changing(study):
        row = Departure.objects.get(pk=departure.pk)
        row.state, row.trouble, row.revision = state, trouble, row.revision + 1
        row.ended_at, row.job = timezone.now(), None
        if state == Departure.GONE:
            whole = row.total + row.passed_over
            row.total = row.sent + row.refused
            row.passed_over = whole - row.total
        row.save()
        touch(study)


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    """What left stays counted; an erased person's row keeps no card, no address."""
    gone = set(numbers)
    for number in numbers:
        blocks = Block.objects.filter(
            departure__campaign__study=study, first__lte=number, last__gte=number
        )
        for block in blocks:
            rows = [[r[0], *([""] * (len(r) - 1))] if r[0] in gone else r for r in block.rows]
            if rows != block.rows:
                block.rows = rows
                block.save(update_fields=["rows"])
