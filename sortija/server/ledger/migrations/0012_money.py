"""The role of the column with a line's money is called as everywhere else."""

from django.db import migrations

_BEFORE, _AFTER = "total", "money"


def _renamed(apps, before, after):
    Intake, UnreadCell = apps.get_model("ledger", "Intake"), apps.get_model("ledger", "UnreadCell")
    for intake in Intake.objects.filter(role="log"):
        roles = intake.mapping.get("roles", {})
        intake.mapping["roles"] = {after if r == before else r: c for r, c in roles.items()}
        for guess in intake.guesses:
            guess["role"] = after if guess["role"] == before else guess["role"]
        intake.save(update_fields=["mapping", "guesses"])
    UnreadCell.objects.filter(role=before, intake__role="log").update(role=after)


def forwards(apps, schema_editor):
    _renamed(apps, _BEFORE, _AFTER)


def backwards(apps, schema_editor):
    _renamed(apps, _AFTER, _BEFORE)


class Migration(migrations.Migration):
    dependencies = [("ledger", "0011_encodings")]
    operations = [migrations.RunPython(forwards, backwards)]
