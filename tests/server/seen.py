"""Which revision an address changes: what somebody sends who has just looked."""

import re
from urllib.parse import parse_qsl

from sortija.server.campaigns.do_not_contact import DO_NOT_CONTACT
from sortija.server.campaigns.models import (
    Campaign,
    DeliveryService,
    StandingControl,
)
from sortija.server.crossings.models import Watch
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Grouping, Segment
from sortija.server.groups.recipe.inputs import RECIPE_SETTING
from sortija.server.ledger.customers.customer_facts import traits_revision
from sortija.server.ledger.customers.owners import OWNERS, owners_of
from sortija.server.ledger.models import Attachment, Intake
from sortija.server.ledger.rules.choices import OWN, RATES, RETURNS, RULES_ON, STAFF
from sortija.server.lens.models import KeptLens
from sortija.server.measures.actions import KEPT_SETTING, PLAN_SETTING
from sortija.server.measures.formulas import OWN_SETTING
from sortija.server.portraits.models import Book
from sortija.server.studies.actions import read_setting
from sortija.server.studies.models import Membership

__all__ = ["SEEN", "seen"]


def setting(key):
    """The revision of a setting of a study, with the rows that its address speaks of."""
    return lambda study, of, *_: read_setting(study, f"{key}:{of}" if of else key, None)[1]


def row(model):
    """The revision of one row, named by its number in the address."""
    return lambda study, of, pk: (
        model.objects.filter(pk=pk).values_list("revision", flat=True).first() or 0
    )


def yardstick(study, *_):
    """The number of the yardstick in use, 0 for none."""
    present = yardstick_of(study)
    return present.pk if present else 0


def traits(study, _, customer):
    """The revision of a customer's traits; 0 where there is no such customer."""
    of = owners_of(study)
    known = int(customer) < len(of.of)
    return traits_revision(study, of.cards_of(int(of.of[int(customer)]))) if known else 0


def book(study, *_):
    """The revision of the book of the segments in use, 0 while none is written."""
    written = Book.objects.filter(yardstick=yardstick_of(study)).first()
    return written.revision if written else 0


def standing(study, *_):
    """The revision of the standing control; None while there is none, for one is drawn unseen."""
    control = StandingControl.objects.filter(study=study, ended=False).first()
    return control.revision if control else None


def service(study, *_):
    """The revision of the delivery service, 0 while there is none."""
    return (
        DeliveryService.objects.filter(study=study).values_list("revision", flat=True).first() or 0
    )


def words(study, _, trait):
    """The revision of the words for a trait's values."""
    return read_setting(study, f"words of {trait}", None)[1]


#: What each address changes, and the look that finds its revision.
SEEN = {
    r"ledger/rules/.*": setting(RULES_ON), r"ledger/staff": setting(STAFF),
    r"ledger/returns": setting(RETURNS), r"ledger/rates": setting(RATES),
    r"ledger/own(/.*)?": setting(OWN), r"customer/(\d+)/trait": traits,
    r"customer/\d+/cards|cards/apart": setting(OWNERS),
    r"measures?(/.*)?": setting(PLAN_SETTING), r"own-measures(/.*)?": setting(OWN_SETTING),
    r"preparations/.*": setting(KEPT_SETTING), r"scores/recipe": setting("scores.recipe"),
    r"groups/recipe": setting(RECIPE_SETTING),
    r"groups/(?:adopt|take-up|swap)|ladder": yardstick,
    r"groups/kept/(\d+)": row(Grouping), r"portraits/segments/(\d+)": row(Segment),
    r"portraits/book": book, r"traits/([^/]+)/words": words,
    r"kept/(\d+)": row(KeptLens),
    r"campaigns/(\d+)(?:/(?:draw|list|costs|move|outbox))?": row(Campaign),
    r"campaigns/delivery": service,
    r"campaigns/standing": standing, r"campaigns/do-not-contact": setting(DO_NOT_CONTACT),
    r"members/(\d+)": row(Membership), r"watches/(\d+)": row(Watch),
    r"attachments/(\d+)": row(Attachment),
    r"intakes/(\d+)(?:/(?:count|overlap|apart|role|encoding))?": row(Intake),
}  # fmt: skip


def seen(study, path):
    """The revision of what an address of a study changes; None where nothing is changed."""
    at, _, query = path.partition("?")
    of = dict(parse_qsl(query)).get("of", "")
    for pattern, look in SEEN.items():
        found = re.fullmatch(pattern, at)
        if found:
            return look(study, of, *found.groups())
    return None
