"""Districts as GeoJSON (RFC 7946): properties as rows of a table, outlines beside them."""

from __future__ import annotations

import gzip
import json
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa

from sortija.core.formats.packed import open_bytes
from sortija.core.formats.rows import ReadRows, UnreadableFile, cell_text, checked_names, is_text

__all__ = ["AreaRows", "Ring", "looks_like_areas"]

#: (longitude, latitude) of each corner, the first again at the end.
Ring = list[tuple[float, float]]
_MOST_BYTES = 200 * 1024 * 1024
_MOST_CORNERS = 400


def looks_like_areas(begins: bytes) -> bool:
    """Whether the first bytes of a JSON text are those of a collection of features.

    >>> looks_like_areas(b'{"type": "FeatureCollection"'), looks_like_areas(b'[{"card": 1')
    (True, False)
    """
    return b"FeatureCollection" in begins or b'"features"' in begins


@dataclass
class AreaRows(ReadRows):
    """One row a feature, its properties as text cells; ``outlines`` has its rings.

    Raises
    ------
    UnreadableFile
        It is no collection of areas in degrees.
    """

    outlines: list[list[Ring]] = field(default_factory=list)
    _rows: list[dict[str, str]] = field(default_factory=list)
    _keys: list[str] = field(default_factory=list)

    def __init__(self, path: Path, name: str = "") -> None:
        super().__init__(path, name or path.name)
        self.outlines, self._rows, self._keys = [], [], []
        features = _features(path, self.name)
        names: dict[str, None] = {}
        for number, feature in enumerate(features, 1):
            properties = feature.get("properties") if isinstance(feature, dict) else None
            if not isinstance(properties, dict):
                raise UnreadableFile(f"Feature {number} has no properties, so nothing names it.")
            plain = {k: v for k, v in properties.items() if not isinstance(v, dict | list)}
            row = {key: cell_text(value).replace("\0", "") for key, value in plain.items()}
            if not all(is_text(key) and is_text(value) for key, value in row.items()):
                raise UnreadableFile(f"Feature {number} holds text that is none. Export it again.")
            names.update(dict.fromkeys(plain))
            self._rows.append(row)
            self.outlines.append(_outline(feature.get("geometry"), number))
        self._keys = list(names)
        self.names = checked_names(self._keys)
        lacking = sum(not rings for rings in self.outlines)
        if lacking:
            self.notes.append(f"{lacking:,} districts have no outline and are not drawn.")

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        keys = dict(zip(self.names, self._keys, strict=True))
        names = list(self.names if columns is None else columns)
        cells = [pa.array([row.get(keys[n], "") for row in self._rows], pa.string()) for n in names]
        yield pa.RecordBatch.from_arrays(cells, names=names)


def _features(path: Path, name: str) -> list[Any]:
    try:
        with open_bytes(path, name) as file:
            data = file.read(_MOST_BYTES + 1)
        if len(data) > _MOST_BYTES:
            raise UnreadableFile("The outlines are over 200 MB. Simplify them and export again.")
        whole = json.loads(data)
    except (ValueError, RecursionError, gzip.BadGzipFile, zipfile.BadZipFile) as problem:
        raise UnreadableFile(f"It is no whole JSON: {problem}. Export it again.") from problem
    features = whole.get("features") if isinstance(whole, dict) else None
    if not isinstance(features, list) or not features:
        raise UnreadableFile("It holds no features. Export the districts as a FeatureCollection.")
    return features


def _outline(geometry: Any, number: int) -> list[Ring]:
    """Rings of a polygon or of several; none where the feature has no place."""
    if geometry is None:
        return []
    kind = geometry.get("type") if isinstance(geometry, dict) else None
    parts = geometry.get("coordinates") if isinstance(geometry, dict) else None
    if kind == "Polygon":
        parts = [parts]
    elif kind != "MultiPolygon" or parts is None:
        raise UnreadableFile(
            f"Feature {number} is a {kind or 'shape without a type'}. Districts are Polygons or "
            "MultiPolygons."
        )
    try:
        rings = [[(float(p[0]), float(p[1])) for p in ring] for part in parts for ring in part]
    except (TypeError, ValueError, IndexError, KeyError, OverflowError) as problem:
        raise UnreadableFile(f"Feature {number} has corners that are no numbers.") from problem
    if not all(abs(x) <= 180 and abs(y) <= 90 for ring in rings for x, y in ring):
        raise UnreadableFile(
            f"Feature {number} lies beyond 180° of longitude or 90° of latitude. Export the "
            "districts in longitude and latitude (WGS 84), as GeoJSON wants them."
        )
    return [_thinned(ring) for ring in rings if len(ring) >= 4]


def _thinned(ring: Ring) -> Ring:
    """At most so many corners as a screen can tell apart, evenly taken."""
    if len(ring) <= _MOST_CORNERS:
        return ring
    step = -(-len(ring) // _MOST_CORNERS)
    return [*ring[:-1:step], ring[-1]]
