"""Taking back and bringing back, in order, each person their own; studies begun; the pulse."""

from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.fingerprints import canonical, fingerprint
from tests.server.support import ServerCase


class History(ServerCase):
    def choose(self, key, value, person=None):
        change_setting(self.study, person or self.owner, key, value, f"{key} is {value}", 0)

    def value(self, key):
        return read_setting(self.study, key, 0)[0]

    def test_steps_go_back_in_order_and_forward_again(self):
        for value in (1, 2, 3):
            self.choose("a", value)
        for wanted in (2, 1, 0):
            self.send("post", "history/undo")
            self.assertEqual(self.value("a"), wanted)
        self.assertIn("Nothing", self.send("post", "history/undo", status=400)["detail"])
        for wanted in (1, 2, 3):
            self.send("post", "history/redo")
            self.assertEqual(self.value("a"), wanted)
        self.assertIn("nothing to redo", self.send("post", "history/redo", status=400)["detail"])

    def test_what_was_taken_back_stays_so_once_something_new_is_done(self):
        self.choose("a", 1)
        self.send("post", "history/undo")
        self.choose("b", 5)
        self.send("post", "history/redo", status=400)
        self.assertEqual((self.value("a"), self.value("b")), (0, 5))

    def test_each_takes_back_their_own(self):
        other = self.person("olga")
        self.study.members.create(person=other, role="analyst")
        self.choose("a", 1)
        self.choose("b", 7, other)
        self.send("post", "history/undo")
        self.assertEqual((self.value("a"), self.value("b")), (0, 7))

    def test_the_same_choice_again_is_no_change(self):
        self.choose("a", 1)
        before = self.study.history.count()
        self.choose("a", 1)
        self.assertEqual(self.study.history.count(), before)

    def test_history_is_read_newest_first_and_moves_the_pulse(self):
        before = self.get("pulse")["revision"]
        self.choose("a", 1)
        self.choose("a", 2)
        self.send("post", "history/undo")
        rows = self.get("history")["entries"]
        self.assertEqual([(r["words"], r["undone"]) for r in rows],
                         [("a is 2", True), ("a is 1", False)])  # fmt: skip
        self.assertEqual(rows[0]["who"], "iris")
        self.assertGreater(self.get("pulse")["revision"], before)


class Studies(ServerCase):
    def test_begin_and_list(self):
        made = self.client.post("/api/studies", {"name": " Second shop "}, format="json")
        self.assertEqual((made.status_code, made.json()["name"]), (201, "Second shop"))
        names = [s["name"] for s in self.client.get("/api/studies").json()["studies"]]
        self.assertEqual(names, ["Little shop", "Second shop"])
        nameless = self.client.post("/api/studies", {"name": " "}, format="json")
        self.assertIn("name of the shop", nameless.json()["detail"])
        self.assertEqual(nameless["Content-Type"], "application/problem+json")

    def test_a_new_study_has_nothing_yet_and_says_what_each_station_needs(self):
        trail = self.get("trail")
        self.assertIsNone(trail["window"])
        self.assertEqual(len(trail["stations"]), 7)
        self.assertEqual({s["state"] for s in trail["stations"]}, {"not yet"})


class Fingerprints(ServerCase):
    def test_equal_values_equal_fingerprints(self):
        self.assertEqual(fingerprint({"a": 1, "b": [2]}), fingerprint({"b": [2], "a": 1}))
        self.assertNotEqual(fingerprint("a", "b"), fingerprint("ab"))
        self.assertNotEqual(fingerprint(1), fingerprint("1"))
        self.assertEqual(canonical({"b": "é", "a": None}), '{"a":null,"b":"é"}'.encode())
        with self.assertRaises(ValueError):
            canonical(float("nan"))
