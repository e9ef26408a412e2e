"""Every example in a docstring of the core, the hooks, commands and notebooks runs as it stands."""

import doctest
import importlib
import pkgutil
import unittest

import sortija
import sortija.cli
import sortija.core
import sortija.notebook
from sortija import places
from sortija.server import hooks

LEAST = 220


def modules():
    """The modules whose docstrings may hold examples."""
    for package in (sortija.core, sortija.cli, sortija.notebook):
        for found in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
            yield importlib.import_module(found.name)
    yield from (sortija, places, hooks)


class Examples(unittest.TestCase):
    def test_every_example_runs(self):
        tried = 0
        for module in modules():
            found = doctest.testmod(module)
            tried += found.attempted
            with self.subTest(module=module.__name__):
                self.assertEqual(found.failed, 0)
        self.assertGreater(tried, LEAST)
