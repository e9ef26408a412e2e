"""All that has to be there before the server starts, in one process: ``python -m …``.

Python and what it imports take seconds to start; the tables, the demo, its delivery service and the
sign-in link are therefore made by one process, not by one each. Its last line is what it made, in
JSON; the others are for whoever waits.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import subprocess
import sys
from pathlib import Path

from django.core.management import call_command

from sortija.launch.compiled import COMPILED


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--person", required=True)
    parser.add_argument("--members", type=int, default=0, help="of the demo; 0: no demo")
    parser.add_argument("--delivery", default="", help="where the demo's letters would go")
    asked = parser.parse_args()
    _set_up()
    warming = _warming()  # while the tables are made
    call_command("migrate", verbosity=0)
    if warming:
        warming.wait()
    post = None
    if asked.members:
        _bring_in_the_demo(asked.person, asked.members)
        post = json.loads(_said("connect_demo_delivery", url=asked.delivery))
    print(json.dumps({"link": _said("sign_in_link", asked.person), "post": post}))


def _set_up() -> None:
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "sortija.server.settings")
    django.setup()


def _warming() -> subprocess.Popen[bytes] | None:
    """Compile the kernels of the first screens, where this state of the core has none yet."""
    folder = os.environ.get("NUMBA_CACHE_DIR")
    if folder and (Path(folder) / COMPILED).exists():
        return None
    return subprocess.Popen([sys.executable, "-m", "sortija.launch.warm"])


def _bring_in_the_demo(person: str, members: int) -> None:
    from sortija.server.ledger.management.commands.load_demo import NAME
    from sortija.server.studies.models import Study

    if not Study.objects.filter(name=NAME).exists():
        print("Importing the Marrowmere demo …", flush=True)
    _said("load_demo", person=person, members=members)
    _said("load_demo_campaigns")


def _said(command: str, *words: str, **options: object) -> str:
    """What a command prints."""
    out = io.StringIO()
    call_command(command, *words, stdout=out, **options)
    return out.getvalue().strip()


if __name__ == "__main__":
    main()
