"""``python -m sortija.demo.delivery --port 8200 --store FILE``: the service, until it is ended.

``SORTIJA_DELIVERY_TOKEN`` and ``SORTIJA_DELIVERY_SECRET`` in the environment: what callers are
known by, and what events are signed with.
"""

from __future__ import annotations

import argparse
import logging
import os
import signal
import sys
import threading
from pathlib import Path

from sortija.demo.delivery.server import Service, serve
from sortija.demo.delivery.store import Store
from sortija.demo.delivery.telling import keep_telling


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="python -m sortija.demo.delivery", description=__doc__)
    parser.add_argument(
        "--port", type=int, default=0, help="where it listens; 0: any free port, which is then said"
    )
    parser.add_argument("--store", type=Path, required=True, help="the file that it keeps")
    parser.add_argument("--members", type=int, default=6000, help="members of the demo (6000)")
    parser.add_argument("--trouble", type=float, default=0.0, help="share of batches in trouble")
    options = parser.parse_args(arguments)
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s delivery %(message)s")
    ended = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: ended.set())
    store = Store(options.store)
    token = os.environ.get("SORTIJA_DELIVERY_TOKEN", "")
    server = serve(Service(store, token, options.members, options.trouble), options.port)
    if not options.port:
        print(f"http://127.0.0.1:{server.server_address[1]}", flush=True)
    if secret := os.environ.get("SORTIJA_DELIVERY_SECRET", ""):
        keep_telling(store, secret, ended)
    else:
        ended.wait()
    server.shutdown()
    return 0


if __name__ == "__main__":
    sys.exit(main())
