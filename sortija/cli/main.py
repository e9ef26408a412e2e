"""The commands and what they say when something is wrong."""

from __future__ import annotations

import argparse
import sys
import tomllib
from collections.abc import Sequence
from importlib.metadata import PackageNotFoundError
from importlib.metadata import version as installed

from sortija.cli import (
    compare,
    cross,
    derive,
    effect,
    group,
    holdout,
    keep,
    place,
    portray,
    power,
    score,
    serve,
)
from sortija.cli.terminal import Trouble
from sortija.core.engine import ClusterError
from sortija.places import ROOT

__all__ = ["main"]


def _version() -> str:
    """As it is installed; in a checkout that is not, as its project says."""
    try:
        return installed("sortija")
    except PackageNotFoundError:
        told = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
        return str(told["project"]["version"])


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 1 it could not be, 2 asked wrongly."""
    parser = argparse.ArgumentParser(
        prog="sortija",
        description="Sortija from a terminal: the same figures as on screen, files in and out.",
    )
    parser.add_argument("--version", action="version", version=f"sortija {_version()}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for command in (
        derive,
        score,
        group,
        place,
        portray,
        compare,
        cross,
        holdout,
        power,
        effect,
        keep,
        serve,
    ):
        command.add_to(commands)
    asked = parser.parse_args(arguments)
    try:
        asked.run(asked)
    except (Trouble, ClusterError) as problem:
        print(f"sortija: {problem}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nsortija: stopped; nothing was written.", file=sys.stderr)
        return 130
    return 0
