"""Everything registers when Django starts: what a server knows, a worker and a command know."""

import json
import os
import subprocess
import sys
import unittest

from sortija.server.hooks import Hook, Hooks
from tests.server.support import ROOT

#: What each kind of hook has to hold, by name.
NAMED = {
    "handlers of jobs": [
        "campaigns.list", "campaigns.push", "crossings.chance", "crossings.refit",
        "crossings.reliability", "crossings.steadier",
        "crossings.steadiness", "crossings.watches", "groups.neighbourhood", "groups.open",
        "groups.propose", "groups.sweep", "groups.trees", "ledger.forget",
        "ledger.intake", "ledger.lines", "ledger.order", "lens.export", "measures.dates",
        "measures.derive", "measures.series",
    ],
    "kinds of field": [
        "band", "began", "bought", "campaign", "capped", "changed", "component", "crossing",
        "differ", "distance", "grouping", "kept", "lasso", "letter", "margin", "measure", "met",
        "missing", "neighbour", "offer", "outlier", "path", "returned", "rival", "segment",
        "silent", "tier", "total", "trait",
    ],
    "facts of stations": [
        "campaigns", "crossings", "groups", "ledger", "measures", "portraits", "scores",
    ],
    "how actions are undone": [
        "adopt", "attach files", "book", "bring in campaign", "campaign costs", "change watch",
        "correct trait", "count intake", "currency", "detach files", "draw holdout",
        "drop campaign", "end control", "keep lens", "kept", "marks", "member", "overlap",
        "plan campaign", "put in outbox", "rename lens", "segment", "setting", "settings",
        "standing control", "swap", "take back intake", "watch",
    ],
}  # fmt: skip
_BEFORE_AND_AFTER = """
import importlib, json, pkgutil, django, sortija.server
django.setup()
from sortija.server.hooks import filled
print(json.dumps(filled()))
for module in pkgutil.walk_packages(sortija.server.__path__, "sortija.server."):
    if ".migrations" not in module.name and "__main__" not in module.name:
        importlib.import_module(module.name)
print(json.dumps(filled()))
"""


class Registered(unittest.TestCase):
    def filled(self):
        """What every hook holds after setup alone, and after everything was imported."""
        environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "sortija.server.settings"}
        run = [sys.executable, "-c", _BEFORE_AND_AFTER]
        told = subprocess.run(run, cwd=ROOT, env=environment, check=True, capture_output=True)
        return [json.loads(line) for line in told.stdout.splitlines()]

    def test_setup_alone_fills_every_hook_with_all_that_there_is(self):
        alone, everything = self.filled()
        for what, names in NAMED.items():
            self.assertEqual(alone[what], names, what)
        for what, names in alone.items():
            self.assertTrue(names, what)
        self.assertEqual(everything, alone)

    def test_a_hook_is_filled_once_and_never_asked_while_empty(self):
        def low(name):
            return f"hello {name}"

        def loud(name):
            return f"HELLO {name}"

        hook = Hook("who greets")
        with self.assertRaisesRegex(RuntimeError, "who greets: nobody says"):
            hook.function()
        hook.fill(low)
        with self.assertRaisesRegex(RuntimeError, "who greets: .*low and .*loud"):
            hook.fill(loud)
        self.assertEqual(hook.function("anna"), "hello anna")
        several = Hooks("who greets too")
        several.add(low, "anybody")
        with self.assertRaisesRegex(RuntimeError, "who greets too: anybody is given twice"):
            several.add(loud, "anybody")
