from django.db import migrations, models

FROM_STUDY = """
UPDATE ledger_intake SET scale = s.scale FROM studies_study s WHERE s.id = ledger_intake.study_id
"""


class Migration(migrations.Migration):

    dependencies = [
        ('ledger', '0006_resumed'),
    ]

    operations = [
        migrations.AddField(
            model_name='intake',
            name='scale',
            field=models.PositiveSmallIntegerField(default=2),
        ),
        migrations.RunSQL(FROM_STUDY, migrations.RunSQL.noop),
    ]
