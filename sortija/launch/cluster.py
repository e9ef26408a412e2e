"""A PostgreSQL cluster of Sortija's own, on loopback, stopped by whoever started it."""

from __future__ import annotations

import hashlib
import os
import shutil
import socket
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Cluster", "free_port"]

_USER = "sortija"


def free_port() -> int:
    """A TCP port on loopback that nobody listens on at this moment."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _binaries() -> Path:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    if found:
        return found[-1].parent
    on_path = shutil.which("initdb")
    if on_path:
        return Path(on_path).parent
    raise SystemExit("PostgreSQL is missing. Install it: apt-get install postgresql")


def _reachable(folder: Path) -> bool:
    """Whether the user ``postgres`` may enter every parent of ``folder``."""
    return all(parent.stat().st_mode & 0o001 for parent in folder.resolve().parents)


@dataclass
class Cluster:
    """A cluster in ``folder``; as root it runs as ``postgres``, which root's servers must not.

    PostgreSQL refuses to run as root, and refuses a data folder it cannot reach; then a folder
    below /var/lib takes its place. One that is not ``lasting`` need not survive a power cut.
    """

    folder: Path
    lasting: bool = True

    def __post_init__(self) -> None:
        self._root = os.geteuid() == 0
        self.folder.parent.mkdir(parents=True, exist_ok=True)
        if self._root and not _reachable(self.folder):
            name = hashlib.sha256(str(self.folder).encode()).hexdigest()[:12]
            self.folder = Path("/var/lib") / f"sortija-{name}"
        self._bin = _binaries()
        self._server: subprocess.Popen[bytes] | None = None
        self.port = 0

    @property
    def url(self) -> str:
        """What ``DATABASE_URL`` says."""
        return f"postgres://{_USER}@127.0.0.1:{self.port}/{_USER}"

    def _run(self, *words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(self._as(*words), cwd="/", capture_output=True, text=True)

    def _as(self, *words: str) -> list[str]:
        return ["runuser", "-u", "postgres", "--", *words] if self._root else list(words)

    def _make(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        if self._root:
            shutil.chown(self.folder, "postgres", "postgres")
        self.folder.chmod(0o700)
        made = self._run(
            str(self._bin / "initdb"), "-D", str(self.folder), "-U", _USER, "-A", "trust",
            "-E", "UTF8", "--locale=C.UTF-8",
        )  # fmt: skip
        if made.returncode:
            raise SystemExit(f"The database cannot be made in {self.folder}:\n{made.stderr}")

    def _left_over(self) -> bool:
        """A server of an earlier start that still runs on this folder."""
        state = self._run(str(self._bin / "pg_ctl"), "status", "-D", str(self.folder))
        return state.returncode == 0

    def start(self) -> None:
        """Make the cluster if need be, start it, and make Sortija's database in it."""
        if not (self.folder / "PG_VERSION").exists():
            self._make()
        if self._left_over():
            self._run(str(self._bin / "pg_ctl"), "stop", "-D", str(self.folder), "-m", "fast")
        self.port = free_port()
        settings = {
            "listen_addresses": "127.0.0.1", "port": str(self.port), "unix_socket_directories": "",
            "shared_buffers": "256MB", "max_wal_size": "2GB", "maintenance_work_mem": "256MB",
            "wal_buffers": "64MB", "logging_collector": "off", "log_min_messages": "warning",
        }  # fmt: skip
        if not self.lasting:
            settings |= dict.fromkeys(("fsync", "synchronous_commit", "full_page_writes"), "off")
        options = [part for key, value in settings.items() for part in ("-c", f"{key}={value}")]
        # A session of its own: Ctrl-C is for us to hear, so that we can stop it in order.
        self._server = subprocess.Popen(
            self._as(str(self._bin / "postgres"), "-D", str(self.folder), *options),
            cwd="/", stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, start_new_session=True,
        )  # fmt: skip
        self._wait()
        made = self._run(
            str(self._bin / "createdb"), "-h", "127.0.0.1", "-p", str(self.port), "-U", _USER, _USER
        )
        if made.returncode and "already exists" not in made.stderr:
            raise SystemExit(f"The database cannot be made:\n{made.stderr}")

    def _wait(self) -> None:
        assert self._server is not None
        ready = [str(self._bin / "pg_isready"), "-h", "127.0.0.1", "-p", str(self.port), "-q"]
        for _ in range(300):
            if self._server.poll() is not None:
                words = self._server.stderr.read().decode() if self._server.stderr else ""
                raise SystemExit(f"The database did not start:\n{words}")
            if subprocess.run(ready).returncode == 0:
                return
            time.sleep(0.1)
        raise SystemExit("The database did not answer within 30 seconds.")

    def stop(self) -> None:
        """Stop the cluster that this process started."""
        if self._server is None:
            return
        self._run(str(self._bin / "pg_ctl"), "stop", "-D", str(self.folder), "-m", "fast")
        self._server.wait(30)
        self._server = None
