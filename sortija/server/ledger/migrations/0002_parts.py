"""Lines in one part an intake; receipts as columns. Whatever was counted stays."""

from __future__ import annotations

import django.db.models.deletion
import numpy as np
from django.db import migrations, models

_CHUNK = 65_536


def receipts_to_chunks(apps, editor):
    chunks = apps.get_model("ledger", "ReceiptChunk")
    receipts = apps.get_model("ledger", "Receipt").objects
    for intake in receipts.values_list("intake_id", flat=True).distinct():
        rows = list(
            receipts.filter(intake_id=intake)
            .order_by("number")
            .values_list("key", "content", "lines")
        )
        for number, first in enumerate(range(0, len(rows), _CHUNK)):
            key, content, lines = zip(*rows[first : first + _CHUNK], strict=True)
            chunks.objects.create(
                intake_id=intake,
                number=number,
                key=np.array(key, "<i8").tobytes(),
                content=np.array(content, "<i8").tobytes(),
                lines=np.array(lines, "<i4").tobytes(),
            )


def lines_to_parts(apps, editor):
    with editor.connection.cursor() as cursor:
        cursor.execute("ALTER TABLE ledger_line RENAME TO ledger_line_before")
        cursor.execute("ALTER INDEX ledger_line_pkey RENAME TO ledger_line_before_pkey")
        cursor.execute(
            "CREATE TABLE ledger_line (LIKE ledger_line_before, PRIMARY KEY (intake_id, number)) "
            "PARTITION BY LIST (intake_id)"
        )
        cursor.execute("SELECT DISTINCT intake_id FROM ledger_line_before")
        for (intake,) in cursor.fetchall():
            cursor.execute(
                f"CREATE TABLE ledger_line_{intake} PARTITION OF ledger_line "
                f"FOR VALUES IN ({intake})"
            )
        cursor.execute("INSERT INTO ledger_line SELECT * FROM ledger_line_before")
        cursor.execute("DROP TABLE ledger_line_before")


class Migration(migrations.Migration):
    dependencies = [("ledger", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="ReceiptChunk",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.IntegerField()),
                ("key", models.BinaryField()),
                ("content", models.BinaryField()),
                ("lines", models.BinaryField()),
                ("intake", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="receipt_chunks", to="ledger.intake")),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("intake", "number"), name="one_receipt_chunk")],
            },
        ),
        migrations.RunPython(receipts_to_chunks, migrations.RunPython.noop),
        migrations.DeleteModel(name="Receipt"),
        migrations.RunPython(lines_to_parts, migrations.RunPython.noop),
    ]
