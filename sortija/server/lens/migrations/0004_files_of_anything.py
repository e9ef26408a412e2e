from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('lens', '0003_exports'),
    ]

    operations = [
        migrations.RenameField(model_name='export', old_name='customers', new_name='rows'),
        migrations.AddField(
            model_name='export',
            name='what',
            field=models.CharField(default='customers', max_length=12),
        ),
    ]
