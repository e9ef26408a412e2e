import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0013_opt_outs"),
        ("studies", "0004_quick_columns"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            "Attachment",
            [
                ("id", models.BigAutoField(
                    auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                )),
                ("url", models.TextField()),
                ("files", models.PositiveIntegerField(default=0)),
                ("trouble", models.TextField(blank=True)),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                ("looked_at", models.DateTimeField(auto_now_add=True)),
                ("revision", models.PositiveIntegerField(default=1)),
                (
                    "person",
                    models.ForeignKey(
                        settings.AUTH_USER_MODEL, null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                    ),
                ),
                (
                    "study",
                    models.ForeignKey(
                        "studies.Study", on_delete=django.db.models.deletion.CASCADE,
                        related_name="attachments",
                    ),
                ),
            ],
        ),
        migrations.AddField(
            "original",
            "attachment",
            models.ForeignKey(
                "ledger.Attachment", null=True, on_delete=django.db.models.deletion.CASCADE,
                related_name="originals",
            ),
        ),
        migrations.AddField(
            "original", "version", models.CharField(max_length=80, blank=True, default="")
        ),
    ]
