"""What columns are called, as people read it: at the head of a row and within a sentence."""

from __future__ import annotations

__all__ = ["heading", "within"]


def heading(name: str) -> str:
    """A column's name as a heading: underlines are blanks, the first letter is large, and capitals
    of the file stay.

    >>> heading("mail_consent"), heading("PLZ"), heading("postcode BE")
    ('Mail consent', 'PLZ', 'Postcode BE')
    """
    words = name.replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def within(label: str) -> str:
    """A heading as it stands within a sentence; an abbreviation keeps its capitals.

    >>> within("Mail consent"), within("PLZ"), within("VIP member")
    ('mail consent', 'PLZ', 'VIP member')
    """
    return label if label[1:2].isupper() else label[:1].lower() + label[1:]
