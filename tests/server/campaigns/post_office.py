"""The demo's delivery service as a process of its own, and calls that are signed as its are."""

import json
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from sortija.server.campaigns.delivery.signature import sign
from tests.server.support import ROOT

__all__ = ["PostOffice", "signed"]


class PostOffice:
    """The service, for as long as a test needs it; ``trouble``: share of batches in an outage."""

    def __init__(self, test, token="", secret="", trouble=0.0, members=600):
        folder = Path(test.enterContext(tempfile.TemporaryDirectory()))
        words = [
            sys.executable, "-m", "sortija.demo.delivery", "--store", str(folder / "post.sqlite3"),
            "--trouble", str(trouble), "--members", str(members),
        ]  # fmt: skip
        environment = {
            "PATH": "/usr/bin:/bin", "PYTHONPATH": str(ROOT), "SORTIJA_DELIVERY_TOKEN": token,
            "SORTIJA_DELIVERY_SECRET": secret,
        }  # fmt: skip
        self.process = subprocess.Popen(
            words, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True
        )
        test.addCleanup(self.process.stdout.close)
        test.addCleanup(self.process.wait)
        test.addCleanup(self.process.kill)
        self.url = self.process.stdout.readline().strip()
        test.assertTrue(self.url, "the delivery service did not start")

    def read(self, path):
        """What it answers at an address of its own."""
        with urllib.request.urlopen(f"{self.url}{path}", timeout=60) as answer:
            return answer.read()

    def counts(self):
        return json.loads(self.read("/counts"))


def signed(secret, events, name="msg_1", at=None):
    """The body of a call and its headers."""
    body = json.dumps({"events": events}).encode()
    seconds = int(time.time()) if at is None else at
    return body, {
        "webhook-id": name, "webhook-timestamp": str(seconds),
        "webhook-signature": sign(secret, name, seconds, body),
    }  # fmt: skip
