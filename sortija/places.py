"""Where things lie: beside the sources in a checkout, in the user's folders where installed."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

__all__ = ["ROOT", "cache_folder", "checked_out", "data_folder", "front_end"]

PACKAGE = Path(__file__).resolve().parent
#: What holds the package: the checkout, or the folder that packages are installed in.
ROOT = PACKAGE.parent


def checked_out() -> bool:
    """Whether this is a checkout of the sources."""
    return (ROOT / "pyproject.toml").exists() and (ROOT / "web").is_dir()


def data_folder(environment: Mapping[str, str] | None = None) -> Path:
    """What is kept of studies: ``SORTIJA_DATA``, else ``var`` of a checkout, else the user's.

    >>> data_folder({"SORTIJA_DATA": "/srv/sortija"}).as_posix()
    '/srv/sortija'
    """
    said = os.environ if environment is None else environment
    if given := said.get("SORTIJA_DATA"):
        return Path(given)
    return ROOT / "var" if checked_out() else _users(said, "XDG_DATA_HOME", ".local/share")


def cache_folder(environment: Mapping[str, str] | None = None) -> Path:
    """What can be made again: with the data where its place was said, else in the user's cache."""
    said = os.environ if environment is None else environment
    if said.get("SORTIJA_DATA") or checked_out():
        return data_folder(said)
    return _users(said, "XDG_CACHE_HOME", ".cache")


def _users(said: Mapping[str, str], name: str, usual: str) -> Path:
    home = Path(said.get("HOME") or Path.home())
    return Path(said.get(name) or home / usual) / "sortija"


def front_end() -> Path:
    """The built front end: of a checkout as it was built, else as the package brings it."""
    built = ROOT / "web" / "dist"
    return built if checked_out() else PACKAGE / "front_end"
