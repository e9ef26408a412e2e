"""The commands of a terminal as functions of a notebook: frames in, frames out, no server.

A frame is whatever gives its columns by Arrow's interface (pandas, Polars, Arrow itself, a dict of
lists); what comes back is of the kind that went in. What cannot be done is a
:class:`~sortija.cli.terminal.Trouble` in one sentence.
"""

from sortija.launch.compiled import keep_compiled

keep_compiled()  # before anything brings in Numba

from sortija.notebook.logs import ReadLog, derive, read_log  # noqa: E402
from sortija.notebook.looks import compare, cross, effect, portray  # noqa: E402
from sortija.notebook.segments import Grouping, Tried, group, place, score  # noqa: E402

__all__ = [
    "Grouping",
    "ReadLog",
    "Tried",
    "compare",
    "cross",
    "derive",
    "effect",
    "group",
    "place",
    "portray",
    "read_log",
    "score",
]
