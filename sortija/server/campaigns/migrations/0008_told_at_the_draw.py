from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("campaigns", "0007_delivery")]

    operations = [
        migrations.AddField("campaign", "proof", models.JSONField(default=dict)),
        migrations.AddField("standingcontrol", "since", models.DateField(null=True)),
    ]
