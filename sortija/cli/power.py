"""``sortija power``: what a fork could prove."""

from __future__ import annotations

import argparse
import json
import math
from typing import Any

from sortija.cli.terminal import Trouble
from sortija.core.campaigns.power import smallest_effect

__all__ = ["add_to"]

_EXAMPLES = """\
examples:
  sortija power --written 900 --held 100 --base 0.08
      of those held out 8 in 100 are taken to come unasked
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "power", help="the smallest effect that a campaign would find",
        description="Tell the smallest rise in the share who come back that is found 8 times in "
        "10 (two-sided 0.05, arms of any size).",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("--written", type=_people, required=True, metavar="N", help="how many are written to")
    add("--held", type=_people, required=True, metavar="N", help="how many are held out")
    add("--base", type=float, required=True, metavar="SHARE",
        help="the share who come unasked, 0 to 1")  # fmt: skip
    add("--json", action="store_true", help="as JSON")
    parser.set_defaults(run=run)


def _people(text: str) -> int:
    if not text.isdigit():
        raise argparse.ArgumentTypeError(f"{text} is no number of customers")
    return int(text)


def run(asked: argparse.Namespace) -> None:
    """Tell the smallest effect, or that nothing could be measured."""
    if not 0 <= asked.base <= 1:
        raise Trouble(f"--base {asked.base:g}: a share lies between 0 and 1.")
    found = smallest_effect(asked.written, asked.held, asked.base)
    if asked.json:
        print(json.dumps({"smallest": None if math.isnan(found) else found}))
    elif math.isnan(found):
        print("This cannot be measured. Hold out more, or write to more.")
    else:
        print(f"Finds a rise of {100 * found:.1f} points or more, 8 times in 10.")
