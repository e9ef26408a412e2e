"""Texts with figures in them: sentences, and the pieces they are put together from."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from sortija.core.portraits.book.figures import KEY

__all__ = ["Run", "keys_in", "plain", "sentences_of"]

_END = re.compile(r"(?<=[.!?…])\s+")


@dataclass(frozen=True)
class Run:
    """A piece of a sentence: words, or a figure with its ``key``."""

    text: str
    key: str = ""


def keys_in(text: str) -> list[str]:
    """The figures of a text, each once.

    >>> keys_in("They make {mean:frequency}, others {rest:frequency}; {mean:frequency} {is it}.")
    ['mean:frequency', 'rest:frequency']
    """
    return list(dict.fromkeys(found[1:-1] for found in KEY.findall(text)))


def sentences_of(text: str, words: Callable[[str], str]) -> list[list[Run]]:
    """The sentences of a text as runs; ``words`` says what a figure reads as.

    >>> found = sentences_of("They are {share}. Nothing {else} is known!", lambda key: "28%")
    >>> [[run.text for run in sentence] for sentence in found]
    [['They are ', '28%', '.'], ['Nothing ', '28%', ' is known!']]
    """
    sentences: list[list[Run]] = [[]]
    for place, piece in enumerate(_pieces(text.strip())):
        if place % 2:
            sentences[-1].append(Run(words(piece[1:-1]), piece[1:-1]))
            continue
        first, *others = _END.split(piece)
        sentences[-1] += [Run(first)] if first else []
        sentences += [[Run(other)] if other else [] for other in others]
    return [sentence for sentence in sentences if sentence]


def _pieces(text: str) -> list[str]:
    """Words and figures in turn, words first."""
    out, at = [], 0
    for found in KEY.finditer(text):
        out += [text[at : found.start()], found.group()]
        at = found.end()
    return [*out, text[at:]]


def plain(sentences: list[list[Run]]) -> str:
    """The text as it is read.

    >>> plain(sentences_of("They are {share}.  All.", lambda key: "28%"))
    'They are 28%. All.'
    """
    return " ".join("".join(run.text for run in sentence) for sentence in sentences)
