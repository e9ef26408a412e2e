"""Each line of the log can be found by the request or the job that it came of."""

import json
import logging
import logging.handlers
import tempfile
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

from sortija.server.operations.logs import JsonLines, about, settings_for
from tests.server.support import ServerCase


class Lines(TestCase):
    def test_a_message_stays_within_its_line(self):
        record = logging.LogRecord(
            "a", logging.WARNING, "", 1, "two\nlines \x1b[31m %s", ("é",), None
        )
        token = about.set({"request": "abc"})
        try:
            line = JsonLines().format(record)
        finally:
            about.reset(token)
        self.assertEqual(line.count("\n"), 0)
        self.assertTrue(line.isascii())
        told = json.loads(line)
        self.assertEqual((told["request"], told["level"]), ("abc", "WARNING"))
        self.assertEqual(told["message"], "two\nlines \x1b[31m é")

    def test_a_part_writes_a_file_that_is_turned_over(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            patch("sortija.server.operations.logs._BYTES", 2000),
        ):
            settings = settings_for("quick", Path(folder) / "logs", "ERROR")
            handler = settings["handlers"]["file"]
            kind = logging.handlers.RotatingFileHandler
            file = kind(handler["filename"], maxBytes=handler["maxBytes"], backupCount=2)
            file.setFormatter(JsonLines())
            for number in range(100):
                file.emit(logging.LogRecord("a", 20, "", 1, f"line {number}", (), None))
            file.close()
            kept = sorted(path.name for path in (Path(folder) / "logs").iterdir())
            self.assertEqual(kept, ["quick.log", "quick.log.1", "quick.log.2"])
            last = (Path(folder) / "logs" / "quick.log").read_text().splitlines()[-1]
            self.assertEqual(json.loads(last)["message"], "line 99")

    def test_a_command_writes_to_the_console_alone(self):
        self.assertEqual(list(settings_for("", Path("/nowhere"), "INFO")["handlers"]), ["console"])


class Requests(ServerCase):
    def test_the_log_tells_who_asked_for_what_and_not_what_for(self):
        with self.assertLogs("sortija.server.operations.requests", "INFO") as caught:
            answer = self.client.get(self.url("trail"), {"to": "2026-06-30"})
        name = answer.headers["X-Request-Id"]
        self.assertRegex(name, "^[0-9a-f]{16}$")
        told = caught.records[-1].told
        self.assertEqual((told["path"], told["status"]), (self.url("trail"), 200))
        self.assertEqual(told["person"], self.owner.pk)
        self.assertNotIn("2026-06-30", str(told))

    def test_an_id_of_a_proxy_is_kept_where_it_is_sound(self):
        sound = self.client.get("/api/session", headers={"X-Request-Id": "proxy-12345"})
        self.assertEqual(sound.headers["X-Request-Id"], "proxy-12345")
        odd = self.client.get("/api/session", headers={"X-Request-Id": "a\\n{}"})
        self.assertRegex(odd.headers["X-Request-Id"], "^[0-9a-f]{16}$")

    def test_a_failure_is_told_with_the_id_that_finds_it(self):
        self.client.raise_request_exception = False
        with (
            patch("sortija.server.studies.api.facts", side_effect=ZeroDivisionError),
            self.assertLogs("sortija", "ERROR"),
        ):
            answer = self.client.get(self.url("trail"))
        self.assertEqual(answer.status_code, 500)
        self.assertEqual(answer.json()["request"], answer.headers["X-Request-Id"])
