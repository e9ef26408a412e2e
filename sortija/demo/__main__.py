"""``python -m sortija.demo FOLDER [--members N] [--seed S]`` writes the Marrowmere files."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from sortija.demo.files import write_demo


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="python -m sortija.demo", description=__doc__)
    parser.add_argument("folder", type=Path, help="where to write the files")
    parser.add_argument("--members", type=int, default=6000, help="how many members (6000)")
    parser.add_argument("--seed", type=int, default=4107, help="seed of every draw (4107)")
    options = parser.parse_args(arguments)
    if options.members < 100:
        parser.error("--members must be at least 100: every archetype needs somebody in it")
    demo = write_demo(options.folder, options.members, options.seed)
    print(f"{demo.lines:,} lines and {options.members:,} members in {options.folder}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
