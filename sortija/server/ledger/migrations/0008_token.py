from django.db import migrations, models

import sortija.server.studies.tokens

#: A row that is there already gets a token of its own.
EACH = "UPDATE {} SET token = replace(gen_random_uuid()::text, '-', '')"


class Migration(migrations.Migration):

    dependencies = [
        ('ledger', '0007_scale'),
    ]

    operations = [
        migrations.AddField(
            model_name='intake',
            name='token',
            field=models.CharField(default=sortija.server.studies.tokens.new_token, editable=False, max_length=32),
        ),
        migrations.RunSQL(EACH.format('ledger_intake'), migrations.RunSQL.noop),
    ]
