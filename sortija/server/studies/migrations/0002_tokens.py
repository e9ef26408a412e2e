from django.db import migrations, models

import sortija.server.studies.tokens

#: A row that is there already gets a token of its own.
EACH = "UPDATE {} SET token = replace(gen_random_uuid()::text, '-', '')"


class Migration(migrations.Migration):

    dependencies = [
        ('studies', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='column',
            name='token',
            field=models.CharField(default=sortija.server.studies.tokens.new_token, editable=False, max_length=32),
        ),
        migrations.RunSQL(EACH.format('studies_column'), migrations.RunSQL.noop),
        migrations.AddField(
            model_name='study',
            name='token',
            field=models.CharField(default=sortija.server.studies.tokens.new_token, editable=False, max_length=32),
        ),
        migrations.RunSQL(EACH.format('studies_study'), migrations.RunSQL.noop),
    ]
