"""Made results: readable while made anew, never begun again unasked, never shown as new."""

from unittest import mock

from sortija.server.jobs.models import Job
from sortija.server.measures import derivation
from tests.server.support import DemoCase, ServerCase, run_jobs


def _always_by_job(case):
    case.enterContext(mock.patch.object(derivation, "INLINE_LINES", 0))


class Freshness(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()
        _always_by_job(self)

    def switch(self, on):
        self.send("put", "ledger/rules/returns", {"on": on})

    def page(self, station="measures"):
        page = self.get(station)
        return page["status"]["state"], page

    def test_the_first_making_shows_nothing_before_it_is_whole(self):
        state, page = self.page()
        self.assertEqual((state, page["threads"]), ("working", []))
        run_jobs()
        self.assertEqual(self.page()[0], "whole")

    def test_after_a_change_the_old_figures_say_what_changed(self):
        self.page()
        run_jobs()
        _, before = self.page()
        _, scores = self.page("scores")
        self.switch(True)
        state, stale = self.page()
        self.assertEqual(state, "out of date")
        self.assertEqual(stale["status"]["words"], "From before 1 rule changed.")
        self.assertEqual(stale["status"]["job"]["state"], "waiting")
        for key in ("threads", "made_from", "reconciliation"):
            self.assertEqual(stale[key], before[key])
        state, old = self.page("scores")
        self.assertEqual((state, old["totals"]), ("out of date", scores["totals"]))
        run_jobs()
        state, now = self.page()
        self.assertEqual(state, "whole")
        self.assertNotEqual(now["reconciliation"], before["reconciliation"])

    def test_taking_the_change_back_makes_the_old_figures_current_at_once(self):
        self.page()
        run_jobs()
        _, before = self.page()
        self.switch(True)
        self.assertEqual(self.page()[0], "out of date")
        self.switch(False)
        state, after = self.page()
        self.assertEqual((state, after["made_from"]), ("whole", before["made_from"]))

    def test_what_was_stopped_stays_so_until_asked_for(self):
        self.page()
        run_jobs()
        self.switch(True)
        job = self.page()[1]["status"]["job"]["id"]
        self.send("post", f"jobs/{job}/cancel")
        for _ in range(3):
            state, page = self.page()
            self.assertEqual((state, page["status"]["job"]["id"]), ("out of date", job))
        self.assertEqual(Job.objects.filter(kind="measures.derive").count(), 2)
        trail = {s["key"]: s for s in self.get("trail")["stations"]}
        for key in ("measures", "scores"):
            self.assertEqual(trail[key]["state"], "out of date")
            self.assertEqual(trail[key]["since"], "before 1 rule changed")
        self.assertGreaterEqual(self.page()[1]["status"]["seconds"], 1)
        again = self.send("post", f"jobs/{job}/again")
        self.assertNotEqual(again["id"], job)
        self.assertEqual(self.send("post", f"jobs/{job}/again")["id"], again["id"])
        run_jobs()
        self.assertEqual(self.page()[0], "whole")

    def test_a_failure_keeps_the_old_figures_and_can_be_tried_again(self):
        self.page()
        run_jobs()
        self.switch(True)
        self.page()
        with mock.patch.object(derivation, "derive", side_effect=MemoryError), self.assertLogs():
            run_jobs()
        state, page = self.page()
        self.assertEqual(state, "failed")
        self.assertIn("Nothing was changed", page["status"]["words"])
        self.assertTrue(page["threads"])
        self.send("post", f"jobs/{page['status']['job']['id']}/again")
        run_jobs()
        self.assertEqual(self.page()[0], "whole")

    def test_only_what_can_be_repeated_is(self):
        job = Job.objects.filter(kind="ledger.intake").first()
        problem = self.send("post", f"jobs/{job.pk}/again", status=400)
        self.assertIn("Start it again where", problem["detail"])
        self.send("post", "jobs/999999/again", status=404)


class DecidedFreshness(DemoCase):
    once = DemoCase.swept

    def test_portraits_and_crossings_stay_readable(self):
        self.adopt()
        pages = {name: self.get(name) for name in ("portraits", "crossings")}
        rules = self.get("portraits/rules")
        _always_by_job(self)
        self.send("put", "ledger/rules/returns", {"on": True})
        for name, before in pages.items():
            stale = self.get(name)
            self.assertEqual(stale["status"]["state"], "out of date", name)
            self.assertEqual(stale["status"]["words"], "From before 1 rule changed.")
            self.assertEqual(stale["made_from"], before["made_from"])
            self.assertIn("1 rule changed", stale["adopted"]["since"])
        self.get("crossings/why", step=0, origin=0, target=1)  # answers from before, too
        stale = self.get("portraits/rules")
        self.assertEqual(
            (stale["status"]["state"], stale["nodes"]), ("out of date", rules["nodes"])
        )
        states = {s["key"]: s["state"] for s in self.get("trail")["stations"]}
        self.assertEqual({states[name] for name in pages}, {"out of date"})
        while Job.objects.filter(state__in=Job.OPEN).exists():
            run_jobs()
            pages = {name: self.get(name) for name in pages}
        self.assertEqual({p["status"]["state"] for p in pages.values()}, {"whole"})
