"""Start everything, say where it is, and stop it all at Ctrl-C."""

from __future__ import annotations

import argparse
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path

from sortija.launch.cluster import Cluster

ROOT = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("SORTIJA_DATA", ROOT / "var"))


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
    return next(port for port in range(8000, 8100) if _free(port))


def _manage(*words: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "sortija.server", *words], cwd=ROOT, capture_output=True, text=True
    )
    if done.returncode:
        raise SystemExit(f"{' '.join(words)} failed:\n{done.stdout[-2000:]}{done.stderr[-4000:]}")
    return done.stdout.strip()


def _wait(url: str, server: subprocess.Popen[bytes]) -> None:
    for _ in range(200):
        if server.poll() is not None:
            raise SystemExit("The server stopped. What it said stands above.")
        try:
            with urllib.request.urlopen(f"{url}/sign-in", timeout=2):
                return
        except OSError:
            time.sleep(0.1)
    raise SystemExit("The server did not answer within 20 seconds.")


class _House:
    """What was started, in order; stopped in the opposite order."""

    def __init__(self) -> None:
        self.cluster: Cluster | None = None
        self.processes: list[subprocess.Popen[bytes]] = []

    def open(self, *words: str) -> subprocess.Popen[bytes]:
        # Sessions of their own: Ctrl-C reaches us alone, and we stop each in order.
        process = subprocess.Popen(words, cwd=ROOT, start_new_session=True)
        self.processes.append(process)
        return process

    def close(self) -> None:
        for process in reversed(self.processes):
            process.terminate()
        for process in reversed(self.processes):
            try:
                process.wait(12)
            except subprocess.TimeoutExpired:
                process.kill()
        if self.cluster:
            self.cluster.stop()


def main() -> int:
    parser = argparse.ArgumentParser(prog="./start", add_help=False)
    parser.add_argument("--fresh", action="store_true")
    parser.add_argument("--port", type=int)
    parser.add_argument("--members", type=int, default=6000)
    options = parser.parse_args()
    port = _port(options.port)
    url = os.environ.setdefault("SORTIJA_URL", f"http://127.0.0.1:{port}")
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
        warming = threading.Thread(target=_warm)
        warming.start()
        _manage("migrate", "--verbosity", "0")
        warming.join()
        print("Bringing in the Marrowmere demo …", flush=True)
        _manage("load_demo", "--person", "analyst", "--members", str(options.members))
        server = house.open(
            sys.executable, "-m", "gunicorn", "sortija.server.wsgi", "--bind", f"127.0.0.1:{port}",
            "--workers", "1", "--threads", "8", "--log-level", "warning", "--timeout", "120",
        )  # fmt: skip
        for lane in ("quick", "long"):
            house.open(sys.executable, "-m", "sortija.server", "work", "--lane", lane)
        _wait(url, server)
        link = _manage("sign_in_link", "analyst")
        print(f"\nSortija runs at {url}\nSign in, once and within 15 minutes: {link}")
        print("Ctrl-C stops it.", flush=True)
        served = list(house.processes)
        house.open(sys.executable, "-m", "sortija.launch.warm", "later")
        while all(process.poll() is None for process in served):
            time.sleep(0.5)
        print("A part of Sortija stopped by itself; the rest is stopped too.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nStopping …")
        return 0
    finally:
        for each in (signal.SIGINT, signal.SIGTERM):
            signal.signal(each, signal.SIG_IGN)
        house.close()


def _asked_to_stop(*_: object) -> None:
    raise KeyboardInterrupt


def _forget() -> None:
    if os.environ.get("DATABASE_URL"):
        raise SystemExit("--fresh would empty the database of DATABASE_URL. Empty it by hand.")
    cluster = Cluster(DATA / "postgres").folder
    for folder in (cluster, DATA / "columns", DATA / "originals", DATA / "demo"):
        shutil.rmtree(folder, ignore_errors=True)


def _warm() -> None:
    """Compile the kernels into their cache while other things happen."""
    subprocess.run([sys.executable, "-m", "sortija.launch.warm"], cwd=ROOT, check=False)


if __name__ == "__main__":
    sys.exit(main())
