"""What a disk's bytes are called: in the mappings of tables and the rules of exporters too."""

from django.db import migrations

OLD = ("guest_written_bytes", "exclusive_bytes")
NEW = ("inside_bytes", "unshared_bytes")


def renamed(old: tuple[str, str], new: tuple[str, str]) -> list[str]:
    return [
        f"UPDATE {table} SET {column} = replace(replace({column}::text, '\"{old[0]}\"', "  # noqa: S608
        f"'\"{new[0]}\"'), '\"{old[1]}\"', '\"{new[1]}\"')::jsonb"
        for table, column in (("feeds_mapping", "columns"), ("feeds_feed", "options"))
    ]


class Migration(migrations.Migration):
    dependencies = [("feeds", "0007_mappings_make_things")]
    operations = [
        migrations.RunSQL(forward, backward)
        for forward, backward in zip(renamed(OLD, NEW), renamed(NEW, OLD), strict=True)
    ]
