"""``sortija serve``: the workbench on this machine, for a browser."""

from __future__ import annotations

import argparse
from typing import Any

from sortija.cli.terminal import Trouble
from sortija.launch.start import add_options, serve

__all__ = ["add_to"]


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "serve", help="the workbench on this machine, for a browser",
        description="Start Sortija and print its address with a sign-in link. It keeps a "
        "PostgreSQL of its own unless DATABASE_URL names one, and everything else in "
        "SORTIJA_DATA.",
    )  # fmt: skip
    add_options(parser)
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> None:
    """Serve until Ctrl-C."""
    if serve(asked):
        raise Trouble("a part of it could not be kept up; what it said stands above.")
