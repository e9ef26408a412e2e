"""A file that is taken back while its lines are being read is said, not stumbled over."""

from sortija.server.ledger.models import Line
from tests.server.support import DemoCase


class TakenBack(DemoCase):
    def test_lines_customers_and_receipts(self):
        line = self.get("ledger/lines")["lines"][0]
        self.get(f"customer/{line['customer']}")
        Line.objects.all().delete()  # what the process has in view is still of before
        for path in (
            "ledger/lines", f"customer/{line['customer']}", f"receipt/{line['receipt']}",
        ):  # fmt: skip
            with self.subTest(path):
                told = self.get(path, status=409)
                self.assertIn("changed while it was being read", told["detail"])
