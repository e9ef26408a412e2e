"""What the first load of the interface weighs, and the heaviest station."""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

from benchmarks.support import Row

DIST = Path(__file__).parents[1] / "web" / "dist"
MOST = 350


def _weight(manifest: dict[str, Any], *entries: str) -> float:
    """Kilobytes of JavaScript, compressed as it is sent, before these entries show anything."""
    wanted, files = list(entries), set()
    while wanted:
        entry = manifest[wanted.pop()]
        if entry["file"] not in files:
            files.add(entry["file"])
            wanted.extend(entry.get("imports", []))
    scripts = [DIST / name for name in files if name.endswith(".js")]
    return sum(len(gzip.compress(path.read_bytes(), 9)) for path in scripts) / 1000


def run() -> list[Row]:
    """JavaScript that the page needs before a station is asked for, and with Groups."""
    manifest = json.loads((DIST / ".vite" / "manifest.json").read_text())
    first, groups = "index.html", "src/stations/groups/index.tsx"
    return [
        Row(f"{words}: JavaScript, compressed", f"{size:.0f} kB", f"{MOST} kB", size / MOST,
            "at most 1", size <= MOST)
        for words, size in (
            ("first load", _weight(manifest, first)),
            ("Groups, before it has drawn a point", _weight(manifest, first, groups)),
        )
    ]  # fmt: skip
