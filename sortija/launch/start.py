"""Start everything, say where it is, and stop it all at Ctrl-C."""

from __future__ import annotations

import argparse
import ctypes
import fcntl
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from dataclasses import dataclass, field
from typing import IO
from urllib.parse import urlsplit

from sortija.launch.cluster import Cluster
from sortija.places import ROOT, data_folder

DATA = data_folder()


def _free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def _port(asked: int | None) -> int:
    if asked is not None:
        if not _free(asked):
            raise SystemExit(f"Port {asked} is taken. Choose another with --port.")
        return asked
    return _free_from(8000)


def _free_from(first: int) -> int:
    return next(port for port in range(first, first + 200) if _free(port))


@dataclass(frozen=True)
class _Prepared:
    """What was made before the server starts: a sign-in link, and what the demo's delivery service
    has to know (None: it has no such service)."""

    link: str
    post: dict[str, str] | None


def _prepare(*words: str) -> _Prepared:
    """Make tables, demo and link; what is said meanwhile is passed on."""
    with tempfile.TemporaryFile("w+") as trouble:
        part = subprocess.Popen(
            (sys.executable, "-m", "sortija.launch.prepare", *words),
            cwd=ROOT, stdout=subprocess.PIPE, stderr=trouble, text=True,
            preexec_fn=_end_with_parent,
        )  # fmt: skip
        assert part.stdout is not None
        made = ""
        try:
            for line in part.stdout:
                if line.startswith("{"):
                    made = line
                else:
                    print(line, end="", flush=True)
        except KeyboardInterrupt:  # the database would wait for whoever still uses it
            part.kill()
            part.wait()
            raise
        if part.wait():
            trouble.seek(0)
            raise SystemExit(f"Sortija could not be made ready:\n{trouble.read()[-6000:]}")
    return _Prepared(**json.loads(made))


def _wait(port: int, server: subprocess.Popen[bytes]) -> None:
    """Until the server answers at its own address, whatever it is called outside."""
    for _ in range(200):
        if server.poll() is not None:
            raise SystemExit("The server stopped. What it said stands above.")
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=2):
                return
        except urllib.error.HTTPError:
            return  # it answers, if only to those who call it by its name outside
        except OSError:
            time.sleep(0.1)
    raise SystemExit("The server did not answer within 20 seconds.")


def _checked_url(url: str) -> str:
    """An address that people can be sent to."""
    parts = urlsplit(url)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise SystemExit(
            f"SORTIJA_URL is {url!r}. Write it with its scheme, such as https://crm.example.org."
        )
    return url


def _only_one() -> IO[str]:
    """The lock of this folder, held for as long as this process lives, however it ends."""
    DATA.mkdir(parents=True, exist_ok=True)
    lock = (DATA / "running.lock").open("a+")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        lock.seek(0)
        raise SystemExit(
            f"Sortija runs already in this folder: {lock.read().strip() or 'it is just starting'}. "
            "Stop it with Ctrl-C where it was started; nothing was changed."
        ) from None
    lock.truncate(0)
    return lock


def _end_with_parent() -> None:
    """Run in a part before it begins: when ./start dies, the kernel asks the part to end too."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


_PR_SET_PDEATHSIG = 1


@dataclass
class _Part:
    """A process that is kept up: begun again when it stops, after a pause that doubles."""

    name: str
    words: tuple[str, ...]
    logs: str = ""
    more: dict[str, str] = field(default_factory=dict)
    process: subprocess.Popen[bytes] | None = None
    deaths: list[float] = field(default_factory=list)
    again_at: float = 0.0

    def begin(self) -> subprocess.Popen[bytes]:
        # Sessions of their own: Ctrl-C reaches us alone, and we stop each in order.
        self.process = subprocess.Popen(
            self.words, cwd=ROOT, start_new_session=True, preexec_fn=_end_with_parent,
            env={**os.environ, **self.more, "SORTIJA_PART": self.logs},
        )  # fmt: skip
        return self.process

    def look(self, now: float) -> bool:
        """Begin it again where it stopped; False when it cannot be kept up."""
        assert self.process is not None
        if self.process.poll() is None:
            return True
        if not self.again_at:
            self.deaths = [at for at in self.deaths if now - at < _WITHIN] + [now]
            if len(self.deaths) > _MOST_DEATHS:
                _say(f"{self.name} stopped {len(self.deaths)} times within {_WITHIN} s")
                return False
            pause = min(2.0 ** (len(self.deaths) - 1), 30.0)
            self.again_at = now + pause
            code = self.process.returncode
            _say(f"{self.name} stopped (code {code}); it is started again in {pause:.0f} s")
        if now >= self.again_at:
            self.again_at = 0.0
            self.begin()
        return True


_WITHIN, _MOST_DEATHS = 120, 5
#: Workers give a job ten seconds to come to an end.
_SECONDS_TO_STOP = 12.0


def _say(words: str) -> None:
    print(f"{time.strftime('%Y-%m-%d %H:%M:%S')} {words}", file=sys.stderr, flush=True)


class _House:
    """What was started, in order; stopped in the opposite order."""

    def __init__(self) -> None:
        self.cluster: Cluster | None = None
        self.parts: list[_Part] = []

    def open(
        self, name: str, *words: str, logs: str = "", more: dict[str, str] | None = None
    ) -> subprocess.Popen[bytes]:
        """Begin a part; ``logs``: what its log is called; ``more``: of its environment."""
        part = _Part(name, words, logs, more or {})
        self.parts.append(part)
        return part.begin()

    def watch(self, kept: list[_Part]) -> None:
        """Keep the parts and the database up; returns when one cannot be."""
        database_deaths = 0
        while True:
            time.sleep(0.5)
            if self.cluster and not self.cluster.alive:
                database_deaths += 1
                if database_deaths > _MOST_DEATHS:
                    _say("the database cannot be kept up")
                    return
                _say("the database stopped; it is started again")
                self.cluster.start()
            if not all(part.look(time.monotonic()) for part in kept):
                return

    def close(self) -> None:
        running = [p.process for p in reversed(self.parts) if p.process]
        for process in running:
            process.terminate()
        last = time.monotonic() + _SECONDS_TO_STOP  # for all of them together
        for process in running:
            try:
                process.wait(max(0.1, last - time.monotonic()))
            except subprocess.TimeoutExpired:
                process.kill()
        if self.cluster:
            self.cluster.stop()


def add_options(parser: argparse.ArgumentParser) -> None:
    """What can be said when Sortija is started."""
    parser.add_argument("--fresh", action="store_true",
                        help="forget everything first: database, uploads, demo")  # fmt: skip
    parser.add_argument("--port", type=int, metavar="N",
                        help="serve on port N (8000, or the next free one)")  # fmt: skip
    parser.add_argument("--host", default="127.0.0.1", metavar="ADDRESS",
                        help="listen there instead of on loopback alone")  # fmt: skip
    parser.add_argument("--no-demo", action="store_true",
                        help="begin without the demo and its delivery service")  # fmt: skip
    parser.add_argument("--person", default="analyst", metavar="NAME",
                        help="whom the sign-in link is for (analyst)")  # fmt: skip
    parser.add_argument("--members", type=int, default=6000, metavar="N",
                        help="a demo of N members, where none has been brought in yet")  # fmt: skip


def main() -> int:
    parser = argparse.ArgumentParser(prog="./start", add_help=False)
    add_options(parser)
    return serve(parser.parse_args())


def serve(options: argparse.Namespace) -> int:
    """Start everything and keep it up until it is asked to stop; returns the exit status."""
    lock = _only_one()
    port = _port(options.port)
    url = _checked_url(os.environ.setdefault("SORTIJA_URL", f"http://127.0.0.1:{port}"))
    lock.write(url)
    lock.flush()
    if options.fresh:
        _forget()
    for each in (signal.SIGINT, signal.SIGTERM):
        signal.signal(each, _asked_to_stop)
    house = _House()
    try:
        if not os.environ.get("DATABASE_URL"):
            house.cluster = Cluster(DATA / "postgres")
            house.cluster.start()
            os.environ["DATABASE_URL"] = house.cluster.url
        delivery = 0 if options.no_demo else _free_from(port + 100)
        ready = _prepare(
            "--person", options.person,
            "--members", "0" if options.no_demo else str(options.members),
            "--delivery", f"http://127.0.0.1:{delivery}",
        )  # fmt: skip
        server = house.open(
            "the server", sys.executable, "-m", "gunicorn", "sortija.server.wsgi",
            "--bind", f"{options.host}:{port}", "--workers", "1", "--threads", "8",
            "--log-level", "warning", "--timeout", "120", logs="server",
        )  # fmt: skip
        _wait(port, server)  # by itself, for pages are there sooner so; then what works behind them
        for lane in ("quick", "long"):
            words = (sys.executable, "-m", "sortija.server", "work", "--lane", lane)
            house.open(f"the {lane} worker", *words, logs=lane)
        print(f"\nSortija runs at {url}\nSign in, once and within 15 minutes: {ready.link}")
        if ready.post:
            post = _open_post(house, delivery, options.members, ready.post)
            print(f"The demo's letters go to {post}, which says what it does with them.")
        print("Ctrl-C stops it.", flush=True)
        kept = list(house.parts)
        house.open("warming up", sys.executable, "-m", "sortija.launch.warm", "later")
        house.watch(kept)
        _say("a part of Sortija cannot be kept up; the rest is stopped too")
        return 1
    except KeyboardInterrupt:
        print("\nStopping …")
        return 0
    finally:
        for each in (signal.SIGINT, signal.SIGTERM):
            signal.signal(each, signal.SIG_IGN)
        house.close()


def _open_post(house: _House, at: int, members: int, told: dict[str, str]) -> str:
    """A delivery service for trying out, for as long as the demo has no other; its address."""
    house.open(
        "the demo's delivery service", sys.executable, "-m", "sortija.demo.delivery",
        "--port", str(at), "--store", str(DATA / "delivery.sqlite3"), "--members", str(members),
        more={"SORTIJA_DELIVERY_TOKEN": told["token"], "SORTIJA_DELIVERY_SECRET": told["secret"]},
    )  # fmt: skip
    return f"http://127.0.0.1:{at}"


def _asked_to_stop(*_: object) -> None:
    raise KeyboardInterrupt


def _forget() -> None:
    if os.environ.get("DATABASE_URL"):
        raise SystemExit("--fresh would empty the database of DATABASE_URL. Empty it by hand.")
    Cluster(DATA / "postgres").remove()
    for name in ("columns", "originals", "exports", "demo"):
        shutil.rmtree(DATA / name, ignore_errors=True)
    for file in DATA.glob("delivery.sqlite3*"):
        file.unlink()


if __name__ == "__main__":
    sys.exit(main())
