"""What a disk's bytes are called: inside the guest, on the array, unshared."""

from django.db import migrations

RENAME = """
ALTER TABLE readings_dailyreading RENAME COLUMN {old} TO {new};
"""


def renamed(old: str, new: str) -> migrations.SeparateDatabaseAndState:
    return migrations.SeparateDatabaseAndState(
        database_operations=[
            migrations.RunSQL(RENAME.format(old=old, new=new), RENAME.format(old=new, new=old))
        ],
        state_operations=[migrations.RenameField("DailyReading", old, new)],
    )


class Migration(migrations.Migration):
    dependencies = [("readings", "0005_past_told")]
    operations = [
        renamed("guest_written_bytes", "inside_bytes"),
        renamed("exclusive_bytes", "unshared_bytes"),
    ]
