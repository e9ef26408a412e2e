"""What is stored changes with its names, there and back, and nothing else with it."""

from importlib import import_module

from django.apps import apps

from sortija.server.ledger.models import Intake, UnreadCell
from tests.server.support import LOG, ServerCase


class Money(ServerCase):
    def stored(self):
        intake = Intake.objects.get()
        return (
            intake.mapping["roles"], [guess["role"] for guess in intake.guesses],
            sorted(UnreadCell.objects.values_list("role", "text")),
        )  # fmt: skip

    def test_the_role_of_a_line_s_money_there_and_back(self):
        self.bring_in(LOG, "log.csv")
        UnreadCell.objects.create(intake=Intake.objects.get(), line=1, role="money", text="x")
        now = roles, guesses, unread = self.stored()
        self.assertIn("money", roles)
        self.assertIn(("money", "x"), unread)
        migration = import_module("sortija.server.ledger.migrations.0012_money")
        migration.backwards(apps, None)
        before = self.stored()
        self.assertEqual(before[0], {("total" if r == "money" else r): c for r, c in roles.items()})
        self.assertEqual(before[1], ["total" if role == "money" else role for role in guesses])
        self.assertIn(("total", "x"), before[2])
        migration.forwards(apps, None)
        self.assertEqual(self.stored(), now)
