"""What a disk's bytes are called: inside the guest, on the array, unshared."""

from django.db import migrations

# What sources said is kept in their words; the same fields have other names now.
STATEMENTS = """
UPDATE estate_statement SET facts = replace(replace(facts::text,
    '"{one_old}":', '"{one_new}":'), '"{other_old}":', '"{other_new}":')::jsonb
WHERE facts::text LIKE '%%"{one_old}":%%' OR facts::text LIKE '%%"{other_old}":%%'
"""
OLD = ("guest_written_bytes", "exclusive_bytes")
NEW = ("inside_bytes", "unshared_bytes")


def statements(old: tuple[str, str], new: tuple[str, str]) -> str:
    told = {"one_old": old[0], "other_old": old[1], "one_new": new[0], "other_new": new[1]}
    return STATEMENTS.format(**told).replace("%%", "%")


class Migration(migrations.Migration):
    dependencies = [("estate", "0005_overcommit_marks")]
    operations = [
        migrations.RenameField("virtualdisk", "guest_written_bytes", "inside_bytes"),
        migrations.RenameField("virtualdisk", "exclusive_bytes", "unshared_bytes"),
        migrations.RenameField("snapshot", "exclusive_bytes", "unshared_bytes"),
        migrations.RunSQL(statements(OLD, NEW), statements(NEW, OLD)),
    ]
