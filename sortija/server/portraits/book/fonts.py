"""The interface's letters, for files that bring them along."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from django.conf import settings

__all__ = ["fonts"]

_FAMILIES = {
    "Figtree": "figtree-latin-wght-",
    "Bricolage Grotesque": "bricolage-grotesque-latin-wght-",
}


@cache
def fonts() -> dict[str, bytes]:
    """Family → font file, as the front end was built with them; none where it is not built."""
    found = {}
    for folder in settings.STATICFILES_DIRS:
        for family, begins in _FAMILIES.items():
            for path in Path(folder).glob(f"assets/{begins}*.woff2"):
                found[family] = path.read_bytes()
    return found
