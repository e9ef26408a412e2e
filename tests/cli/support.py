"""Commands as a terminal runs them."""

import io
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from sortija.cli.main import main

__all__ = ["CommandCase", "Out"]


class Out(io.TextIOWrapper):
    """Standard output with the bytes below it, as a terminal's has."""

    def __init__(self):
        super().__init__(io.BytesIO(), encoding="utf-8")


class CommandCase(unittest.TestCase):
    """``command``: the one that :meth:`call` runs."""

    command = ""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def file(self, data, name="log.csv"):
        path = self.folder / name
        path.write_bytes(data if isinstance(data, bytes) else data.encode())
        return str(path)

    def call(self, *arguments, status=0, command=""):
        """Run the command; (standard output, standard error)."""
        out, error = Out(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(error):
            try:
                found = main([command or self.command, *map(str, arguments)])
            except SystemExit as ended:
                found = ended.code
        self.assertEqual(found, status, error.getvalue())
        out.flush()
        return out.buffer.getvalue().decode(), error.getvalue()

    def said(self, *arguments, status=1, command=""):
        """What is said of something that cannot be done; nothing goes out."""
        out, error = self.call(*arguments, status=status, command=command)
        self.assertEqual(out, "")
        return error
