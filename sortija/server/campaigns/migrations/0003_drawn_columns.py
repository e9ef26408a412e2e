"""Who was drawn, as columns of the customers instead of a row each."""

import hashlib

import django.db.models.deletion
import numpy as np
from django.db import migrations, models

CHUNK = 65_536


def _column(apps, campaign, population, name, customers, places, levels):
    codes = np.zeros(population.size, "<i4")
    codes[customers] = places + 1
    stamp = hashlib.sha256(f"drawn:{campaign.pk}".encode()).hexdigest()
    column = apps.get_model("studies", "Column").objects.create(
        population=population, version=population.version, window=campaign.window,
        name=f"campaign {name}", kind="category", fingerprint=stamp, size=len(codes),
        details={"levels": [str(level) for level in levels]},
    )
    apps.get_model("studies", "ColumnChunk").objects.bulk_create(
        apps.get_model("studies", "ColumnChunk")(
            column=column, number=number, data=codes[start : start + CHUNK].tobytes()
        )
        for number, start in enumerate(range(0, len(codes), CHUNK))
    )
    return column


def keep_as_columns(apps, editor):
    members = apps.get_model("campaigns", "Member").objects
    yardsticks = apps.get_model("groups", "Yardstick").objects
    for campaign in apps.get_model("campaigns", "Campaign").objects.exclude(state="draft"):
        fields = ("customer", "held", "stratum", "segment")
        rows = np.array(
            list(members.filter(campaign=campaign).values_list(*fields)), np.int64
        ).reshape(-1, 4)
        customers, held, stratum, segment = rows.T
        population = apps.get_model("studies", "Population").objects.get(
            study=campaign.study, name="customers"
        )
        strata, place = np.unique(stratum, return_inverse=True)
        segments = range(int(segment.max(initial=0)) + 1)
        arms = ("written to", "held out")
        campaign.arms = _column(apps, campaign, population, "arms", customers, held, arms)
        campaign.strata = _column(apps, campaign, population, "strata", customers, place, strata)
        campaign.segments = _column(
            apps, campaign, population, "segments", customers, segment, segments
        )
        # Its segments were called as the yardstick of that day called them.
        earlier = yardsticks.filter(study=campaign.study, adopted_at__lte=campaign.drawn_at)
        campaign.yardstick = earlier.order_by("-adopted_at").first()
        campaign.save()


def _column_field():
    return models.ForeignKey(
        null=True, on_delete=django.db.models.deletion.RESTRICT, related_name="+",
        to="studies.column",
    )


class Migration(migrations.Migration):
    dependencies = [
        ("campaigns", "0002_quick_draw"),
        ("groups", "0003_kept_revision"),
        ("studies", "0004_quick_columns"),
    ]

    operations = [
        migrations.AddField("campaign", "arms", _column_field()),
        migrations.AddField("campaign", "strata", _column_field()),
        migrations.AddField("campaign", "segments", _column_field()),
        migrations.AddField(
            "campaign",
            "yardstick",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.RESTRICT, related_name="+",
                to="groups.yardstick",
            ),
        ),
        migrations.RunPython(keep_as_columns, migrations.RunPython.noop),
        migrations.DeleteModel("Member"),
    ]
