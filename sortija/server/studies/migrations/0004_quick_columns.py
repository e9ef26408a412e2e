"""Values of columns are compressed by LZ4, which takes a twentieth of the time of PostgreSQL's own
way; where a server was built without it, they are kept as they are."""

from django.db import migrations

COLUMNS = ("data", "reasons")


def _set(editor, words):
    for column in COLUMNS:
        editor.execute(f"ALTER TABLE studies_columnchunk ALTER COLUMN {column} SET {words}")


def quick(apps, editor):
    with editor.connection.cursor() as cursor:
        cursor.execute(
            "SELECT enumvals FROM pg_settings WHERE name = 'default_toast_compression'"
        )
        found = cursor.fetchone()
    _set(editor, "COMPRESSION lz4" if found and "lz4" in found[0] else "STORAGE EXTERNAL")


def usual(apps, editor):
    _set(editor, "STORAGE EXTENDED")
    _set(editor, "COMPRESSION default")


class Migration(migrations.Migration):
    dependencies = [("studies", "0003_member_revision")]

    operations = [migrations.RunPython(quick, usual)]
