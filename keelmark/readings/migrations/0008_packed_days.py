"""Finished days of five-minute means, packed: one row a thing and day."""

from django.db import migrations

MAKE_TABLE = """
CREATE TABLE readings_packed (
    entity_id bigint NOT NULL,
    day date NOT NULL,
    n_steps smallint NOT NULL,
    content bytea NOT NULL,
    PRIMARY KEY (entity_id, day)
) PARTITION BY RANGE (day);
ALTER TABLE readings_packed ALTER COLUMN content SET STORAGE EXTERNAL;
"""


class Migration(migrations.Migration):
    dependencies = [("readings", "0007_past_told_index")]

    operations = [
        migrations.RunSQL(MAKE_TABLE, "DROP TABLE readings_packed"),
    ]
