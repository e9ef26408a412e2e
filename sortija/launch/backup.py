"""Everything that Sortija keeps, into one file and back: database, originals, key.

A backup is taken while Sortija runs or not. It is restored into an empty place only, so that
nothing that is there can be lost.
"""

from __future__ import annotations

import fcntl
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import unquote, urlsplit

from sortija.launch import archive
from sortija.launch.cluster import Cluster, program

__all__ = ["ROOT", "Refused", "backup", "restore"]

ROOT = Path(__file__).resolve().parents[2]


class Refused(Exception):
    """It cannot be done as asked; the message says why and what to do."""


def backup(target: Path, data: Path) -> int:
    """Write everything kept in ``data`` and its database into one file; its size in bytes.

    The database comes first and as of one moment; originals that are brought in meanwhile come
    along without harm.

    Raises
    ------
    Refused
        There is nothing to back up, or a program of PostgreSQL's failed.
    """
    if not (data / archive.KEY).exists():
        raise Refused(f"Nothing is kept in {data}. Say where with SORTIJA_DATA.")
    if not target.parent.is_dir():
        raise Refused(f"There is no folder {target.parent}. Make it first.")
    with (
        tempfile.TemporaryDirectory(dir=target.parent, prefix=".backup-") as aside,
        _database(data) as url,
    ):
        dump = Path(aside) / archive.DUMP
        _postgres(url, "pg_dump", "-Fc", "--no-owner", "--no-privileges", "-f", str(dump))
        members = [(archive.DUMP, dump), (archive.KEY, data / archive.KEY)]
        originals = data / archive.ORIGINALS
        for path in sorted(originals.rglob("*")):
            if path.is_file() and not path.name.startswith("part-"):
                members.append((f"{archive.ORIGINALS}/{path.relative_to(originals)}", path))
        return archive.pack(target, members)


def restore(source: Path, data: Path) -> None:
    """Put a backup into an empty place: afterwards every figure is as it was.

    The archive is read and compared with its list as a whole before anything is written; what
    fails later leaves the place as empty as it was.

    Raises
    ------
    Refused
        The place is not empty, Sortija runs there, or a program of PostgreSQL's failed.
    archive.Damaged
        The backup is not whole.
    """
    data.mkdir(parents=True, exist_ok=True)
    data.chmod(0o700)
    with tempfile.TemporaryDirectory(dir=data, prefix=".restore-") as aside, _alone(data):
        _empty(data)
        archive.unpack(source, Path(aside))
        own = not os.environ.get("DATABASE_URL")
        try:
            _put_back(Path(aside), data)
        except BaseException:
            if own:
                Cluster(data / "postgres").remove()
                (data / "postgres-password").unlink(missing_ok=True)
            (data / archive.KEY).unlink(missing_ok=True)
            shutil.rmtree(data / archive.ORIGINALS, ignore_errors=True)
            raise


def _put_back(aside: Path, data: Path) -> None:
    with _database(data, locked=True) as url:
        if _tables(url):
            raise Refused(
                "The database of DATABASE_URL is not empty. Restore into an empty one; nothing "
                "was changed."
            )
        _postgres(
            url, "pg_restore", "--no-owner", "--no-privileges", "--single-transaction",
            "--exit-on-error", "-d", urlsplit(url).path.lstrip("/"), str(aside / archive.DUMP),
        )  # fmt: skip
        (aside / archive.KEY).replace(data / archive.KEY)
        if (aside / archive.ORIGINALS).exists():
            (aside / archive.ORIGINALS).replace(data / archive.ORIGINALS)
        _migrate(url, data)


def _empty(data: Path) -> None:
    """Whether a backup may be put here."""
    there = [
        name for name in ("postgres", archive.ORIGINALS, archive.KEY) if (data / name).exists()
    ]
    cluster = Cluster(data / "postgres").folder
    if not there and not cluster.exists():
        return
    raise Refused(
        f"{data} is not empty ({', '.join(there) or cluster}). Restore into another folder, which "
        "SORTIJA_DATA names; nothing was changed."
    )


@contextmanager
def _alone(data: Path) -> Iterator[None]:
    """While nobody starts Sortija in this folder."""
    with (data / "running.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise Refused(f"Sortija runs in {data}. Stop it first; nothing was changed.") from None
        yield


@contextmanager
def _database(data: Path, locked: bool = False) -> Iterator[str]:
    """The database's address: DATABASE_URL, the running cluster, or one started for this alone."""
    given = os.environ.get("DATABASE_URL")
    if given:
        yield given
        return
    cluster = Cluster(data / "postgres")
    running = cluster.running_url()
    if running:
        yield running
        return
    with _alone(data) if not locked else _nothing():
        try:
            cluster.start()
            yield cluster.url
        finally:
            cluster.stop()


@contextmanager
def _nothing() -> Iterator[None]:
    yield


def _postgres(url: str, name: str, *words: str) -> str:
    """Run a program of PostgreSQL's; the password goes by the environment, where no list of
    processes shows it."""
    at = urlsplit(url)
    environment = {
        **os.environ, "PGHOST": at.hostname or "127.0.0.1", "PGPORT": str(at.port or 5432),
        "PGUSER": unquote(at.username or ""), "PGPASSWORD": unquote(at.password or ""),
        "PGDATABASE": at.path.lstrip("/"),
    }  # fmt: skip
    done = subprocess.run(
        [program(name), *words], capture_output=True, text=True, env=environment, cwd="/"
    )
    if done.returncode:
        raise Refused(f"{name} failed: {done.stderr.strip()[-1000:]}")
    return done.stdout


def _tables(url: str) -> int:
    """How many tables the database has."""
    ask = "SELECT count(*) FROM pg_tables WHERE schemaname = 'public'"
    return int(_postgres(url, "psql", "-XAtc", ask))


def _migrate(url: str, data: Path) -> None:
    """A backup of an earlier Sortija becomes one of this."""
    environment = {**os.environ, "DATABASE_URL": url, "SORTIJA_DATA": str(data)}
    words = [sys.executable, "-m", "sortija.server", "migrate", "--verbosity", "0"]
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, env=environment)
    if done.returncode:
        raise Refused(f"The database cannot be brought up to date: {done.stderr.strip()[-1000:]}")
