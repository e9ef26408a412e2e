"""A book of segments from the command line, as one file."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path

from sortija.cli.terminal import Trouble
from sortija.core.formats.book.pdf import BookFileError
from sortija.core.formats.book.writing import KINDS, file_of
from sortija.core.portraits.book.facts import BookFacts
from sortija.core.portraits.book.pages import book_of

__all__ = ["book_file", "write_book"]


def book_file(text: str) -> Path:
    """A path whose ending says what kind of file a book becomes."""
    path = Path(text)
    if path.suffix.lower().removeprefix(".") not in KINDS:
        known = ", ".join(f".{kind}" for kind in KINDS)
        raise argparse.ArgumentTypeError(f"{text} has none of the endings {known}")
    return path


def write_book(path: Path, source: Path, facts: BookFacts) -> None:
    """Write the book whole or not at all."""
    pages = book_of(replace(facts, study=source.stem), foot=f"Drafted from {source.name}.")
    try:
        data = file_of(pages, path.suffix.lower().removeprefix("."))
        aside = path.with_name(f".{path.name}.part")
        aside.write_bytes(data)
        aside.replace(path)
    except BookFileError as problem:
        raise Trouble(str(problem)) from problem
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}.") from problem
