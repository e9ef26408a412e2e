"""Tables without a log of their own: told from logs, dated, called by their rows."""

from datetime import date, timedelta
from unittest import mock

from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs


class Tables(ServerCase):
    RECENCY = "name;recency;frequency;monetary\n" + "".join(
        f"Row {n};{7 * n};{30 - n};{31.5 * n:.2f}\n" for n in range(1, 11)
    )
    PLACES = "district;households;PLZ\n" + "".join(
        f"B{n};{900 + 13 * n};0{1000 + n % 7}\n" for n in range(40)
    )

    def review(self, text, name):
        upload = self.upload(text, name, part=1 << 20)
        return self.send("post", "intakes", {"upload": upload}, 201)

    def test_ten_rows_of_figures_are_no_log(self):
        found = self.review(self.RECENCY, "rfm.csv")
        self.assertEqual((found["role"], found["mapping"]["units"]), ("members", "customers"))
        types = found["mapping"]["types"]
        self.assertEqual([types[name] for name in ("recency", "frequency", "monetary")],
                         ["number"] * 3)  # fmt: skip

    def test_rows_are_called_by_the_heading_of_their_key_until_there_is_a_log(self):
        found = self.review(self.PLACES, "places.csv")
        path = f"intakes/{found['id']}"
        self.assertEqual((found["mapping"]["unit"], found["mapping"]["units"]),
                         ("district", "districts"))  # fmt: skip
        mapping = {**found["mapping"], "unit": "quarter", "units": "quarters"}
        self.send("put", path, {"mapping": mapping})
        self.send("post", f"{path}/count", status=202)
        run_jobs()
        study = self.get("trail")["study"]
        self.assertEqual((study["unit"], study["units"], study["has_log"]),
                         ("quarter", "quarters", False))  # fmt: skip
        stations = {row["key"]: row for row in self.get("trail")["stations"]}
        self.assertEqual(stations["ledger"]["words"], "40 quarters, no log")
        self.bring_in(LOG, "log.csv")
        study = self.get("trail")["study"]
        self.assertEqual((study["units"], study["has_log"]), ("customers", True))

    def test_columns_are_corrected_one_after_the_other(self):
        found = self.review(MEMBERS, "members.csv")
        path = f"intakes/{found['id']}"
        types = found["mapping"]["types"]
        key = next(name for name, kind in types.items() if kind == "key")
        without = {**found["mapping"], "types": {**types, key: "id"}}
        answer = self.send("put", path, {"mapping": without})
        self.assertIn("names the row", answer["lacks"])
        self.assertEqual(answer["needs"], [{"words": "what names each row", "column": ""}])
        self.assertEqual(self.send("post", f"{path}/count", status=400)["detail"], answer["lacks"])
        answer = self.send("put", path, {"mapping": found["mapping"]})
        self.assertEqual(answer["needs"][0]["column"], key)

    def test_a_table_after_an_old_log_speaks_of_the_logs_last_day(self):
        self.assertEqual(self.review(MEMBERS, "before.csv")["mapping"]["dated"], "")
        self.bring_in(LOG, "log.csv")
        last = self.get("trail")["window"]["to"]
        later = self.review(MEMBERS.replace("yard", "balcony"), "members.csv")
        self.assertEqual(later["mapping"]["dated"], last)
        day = date.fromisoformat(last) + timedelta(days=20)
        with mock.patch("django.utils.timezone.localdate", return_value=day):
            soon = self.review(MEMBERS.replace("yard", "allotment"), "members-2.csv")
        self.assertEqual(soon["mapping"]["dated"], "")
