"""``sortija backup`` and ``sortija restore``: everything that is kept, in one file."""

from __future__ import annotations

import argparse
import os
from pathlib import Path
from typing import Any

from sortija.cli.terminal import Trouble
from sortija.launch.archive import Damaged
from sortija.launch.backup import Refused, backup, restore
from sortija.places import data_folder

__all__ = ["add_to"]


def add_to(commands: Any) -> None:
    """Add both commands to the parser's."""
    parser = commands.add_parser(
        "backup",
        help="write everything that Sortija keeps into one file",
        description="Write database, original files and key into one file, while Sortija runs or "
        "not. Whoever has the file has everything: keep it where nobody else reads it.",
    )
    parser.add_argument("file", type=Path, metavar="FILE", help="written; an older one gives way")
    parser.set_defaults(run=_backup)
    parser = commands.add_parser(
        "restore",
        help="put a backup into an empty place",
        description="Put what a backup holds into the folder of SORTIJA_DATA, which has to be "
        "empty; ./start then goes on from it.",
    )
    parser.add_argument("file", type=Path, metavar="FILE", help="a file that backup wrote")
    parser.set_defaults(run=_restore)


def _data() -> Path:
    os.umask(0o077)  # whatever is written here is for its owner alone
    return data_folder().absolute()


def _backup(asked: argparse.Namespace) -> None:
    try:
        size = backup(asked.file.absolute(), _data())
    except (Refused, OSError) as problem:
        raise Trouble(str(problem)) from problem
    print(f"{asked.file}: {size / (1 << 20):,.1f} MiB")


def _restore(asked: argparse.Namespace) -> None:
    try:
        restore(asked.file.absolute(), _data())
    except (Refused, Damaged, OSError) as problem:
        raise Trouble(str(problem)) from problem
    print(f"{asked.file} is restored into {_data()}. Start Sortija with ./start.")
