"""The window in view, as it stands in an address: ``to=2026-06-30&back=12``."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from rest_framework.request import Request

from sortija.core.measures.window import Window
from sortija.server.studies.problems import Problem

__all__ = ["BACKS", "WindowInView", "window_from"]

BACKS = ("3", "6", "12", "24", "all")


@dataclass(frozen=True)
class WindowInView:
    """Last day included and how far to look back."""

    to: date
    back: str = "12"

    @property
    def key(self) -> str:
        return f"{self.to.isoformat()}:{self.back}"

    @property
    def window(self) -> Window:
        return Window(self.to, None if self.back == "all" else int(self.back))


def window_from(request: Request, default: WindowInView | None) -> WindowInView | None:
    """The window that the request asks for, else the default."""
    to, back = request.query_params.get("to"), request.query_params.get("back", "12")
    if back not in BACKS:
        raise Problem(f"A window looks back {', '.join(BACKS[:-1])} months, or over all.")
    if not to:
        return WindowInView(default.to, back) if default else None
    try:
        day = date.fromisoformat(to)
    except ValueError:
        raise Problem(f"“{to}” is no date. Write it as 2026-06-30.") from None
    if not 1970 < day.year < 2200:
        raise Problem(f"The year {day.year} is out of reach.")
    return WindowInView(day, back)
