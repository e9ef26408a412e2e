"""The window in view, as it stands in an address: ``to=2026-06-30&back=12``."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from rest_framework.request import Request

from sortija.core.measures.window import Window, year_before
from sortija.server.studies.problems import Problem

__all__ = ["BACKS", "WindowInView", "read_window", "window_from"]

BACKS = ("3", "6", "12", "24", "all")
_FORM = "A window looks back 3, 6, 12 or 24 months, over all, or from a day such as 2025-03-01."


@dataclass(frozen=True)
class WindowInView:
    """Last day included and how far to look back: months, ``all``, or the first day as a date."""

    to: date
    back: str = "12"

    @classmethod
    def parse(cls, key: str) -> WindowInView:
        """A window as it was stored by its :attr:`key`.

        >>> WindowInView.parse("2026-06-30:12").months
        12
        """
        to, _, back = key.partition(":")
        return cls(date.fromisoformat(to), back)

    @property
    def key(self) -> str:
        return f"{self.to.isoformat()}:{self.back}"

    @property
    def since(self) -> date | None:
        """The first day, where the window begins on a given one."""
        return date.fromisoformat(self.back) if "-" in self.back else None

    @property
    def months(self) -> int | None:
        """How many months it looks back; None for the whole log, and from a given day on."""
        return int(self.back) if self.back.isdigit() else None

    @property
    def window(self) -> Window:
        return Window(self.to, self.months, self.since)

    @property
    def year_before(self) -> WindowInView:
        """The same season one year earlier."""
        before = year_before(self.window)
        return WindowInView(
            before.last_day, before.since.isoformat() if before.since else self.back
        )


def read_window(to: str, back: str) -> WindowInView:
    """A window as it is written.

    Raises
    ------
    Problem
        The words are no window.
    """
    day = _day(to)
    if back not in BACKS:
        if "-" not in back:
            raise Problem(_FORM)
        since = _day(back)
        if since > day:
            raise Problem(f"The window ends on {day:%d %b %Y}, before it begins on "
                          f"{since:%d %b %Y}.")  # fmt: skip
        back = since.isoformat()
    return WindowInView(day, back)


def _day(written: str) -> date:
    try:
        day = date.fromisoformat(written)
    except ValueError:
        raise Problem(f"“{written}” is no date. Write it as 2026-06-30.") from None
    if not 1970 < day.year < 2200:
        raise Problem(f"The year {day.year} is out of reach.")
    return day


def window_from(request: Request, default: WindowInView | None) -> WindowInView | None:
    """The window that the request asks for, else the default."""
    to, back = request.query_params.get("to"), request.query_params.get("back", "12")
    if not to:
        if default is None:
            if back not in BACKS:
                read_window("2199-12-31", back)
            return None
        to = default.to.isoformat()
    return read_window(to, back)
