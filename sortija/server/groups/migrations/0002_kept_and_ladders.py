"""Kept groupings, ladders as yardsticks, identities carried over, trees of merges."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def take_over_k(apps, schema_editor):
    for yardstick in apps.get_model("groups", "Yardstick").objects.select_related("grouping"):
        yardstick.k = yardstick.grouping.k
        yardstick.save(update_fields=["k"])


class Migration(migrations.Migration):
    dependencies = [
        ("groups", "0001_initial"),
        ("studies", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            "grouping", "person",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.AddField("grouping", "seconds", models.FloatField(default=0.0)),
        migrations.AddField("grouping", "kin", models.CharField(default="", max_length=64)),
        migrations.AddField("grouping", "starred", models.BooleanField(default=False)),
        migrations.AddField(
            "grouping", "note", models.CharField(blank=True, default="", max_length=300)
        ),
        migrations.AddField("grouping", "binned", models.BooleanField(default=False)),
        migrations.AddField("grouping", "proposal", models.JSONField(null=True)),
        migrations.AlterField(
            "yardstick", "grouping",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.PROTECT,
                related_name="yardsticks", to="groups.grouping",
            ),
        ),
        migrations.AddField("yardstick", "ladder", models.JSONField(null=True)),
        migrations.AddField(
            "yardstick", "k", models.PositiveSmallIntegerField(default=0), preserve_default=False
        ),
        migrations.RunPython(take_over_k, migrations.RunPython.noop, elidable=True),
        migrations.AddField("yardstick", "vanished", models.JSONField(default=list)),
        migrations.AddConstraint(
            "yardstick",
            models.CheckConstraint(
                condition=models.Q(
                    ("grouping__isnull", True), ("ladder__isnull", True), _connector="XOR"
                ),
                name="grouping_or_ladder",
            ),
        ),
        migrations.AddField(
            "segment", "carried",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+",
                to="groups.segment",
            ),
        ),
        migrations.AddField("segment", "carried_share", models.FloatField(null=True)),
        migrations.CreateModel(
            name="MergeTree",
            fields=[
                ("id", models.BigAutoField(
                    auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                )),
                ("made_from", models.CharField(max_length=64)),
                ("linkage", models.CharField(max_length=10)),
                ("tree", models.JSONField()),
                ("study", models.ForeignKey(
                    on_delete=django.db.models.deletion.CASCADE, related_name="merge_trees",
                    to="studies.study",
                )),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=("study", "made_from", "linkage"), name="one_tree"
                    )
                ],
            },
        ),
    ]  # fmt: skip
