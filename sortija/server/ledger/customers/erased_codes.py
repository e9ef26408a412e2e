"""Erased people: their codes are known only as keyed digests, so that no file brings them back."""

from __future__ import annotations

import hashlib
import hmac

from django.conf import settings

from sortija.server.ledger.models import Card
from sortija.server.studies.models import Study

__all__ = ["alias_of", "digest_of", "erased_digests", "pseudonym_of"]


def digest_of(study: Study, code: str) -> str:
    """What is kept of a code: useless without the server's secret key."""
    text = f"{study.pk}:{code.strip()}".encode()
    return hmac.new(settings.SECRET_KEY.encode(), text, hashlib.sha256).hexdigest()


def pseudonym_of(study: Study, code: str) -> str:
    """What stands for a card where it is not to be known: always the same in one study, and useless
    without the server's secret key."""
    return f"P-{digest_of(study, f'pseudonym {code}')[:16].upper()}"


def alias_of(digest: str) -> str:
    """What stands for an erased code in files that were written without it; nobody guesses it."""
    return f"erased-{digest[:20]}"


def erased_digests(study: Study) -> frozenset[str]:
    """Digests of every erased code."""
    rows = Card.objects.filter(study=study).exclude(erased="")
    return frozenset(rows.values_list("erased", flat=True))
