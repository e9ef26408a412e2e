"""What the first load of the interface weighs."""

from __future__ import annotations

import gzip
import json
from pathlib import Path

from benchmarks.support import Row

DIST = Path(__file__).parents[1] / "web" / "dist"


def run() -> list[Row]:
    """JavaScript that the page needs before a station is asked for, compressed."""
    manifest = json.loads((DIST / ".vite" / "manifest.json").read_text())
    wanted, files = ["index.html"], set()
    while wanted:
        entry = manifest[wanted.pop()]
        if entry["file"] not in files:
            files.add(entry["file"])
            wanted.extend(entry.get("imports", []))
    scripts = [DIST / name for name in files if name.endswith(".js")]
    size = sum(len(gzip.compress(path.read_bytes(), 9)) for path in scripts) / 1000
    return [
        Row("first load: JavaScript, compressed", f"{size:.0f} kB", "350 kB", size / 350,
            "at most 1", size <= 350)
    ]  # fmt: skip
