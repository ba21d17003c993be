"""Numbers that tell two states of all definitions apart, grown by whatever writes to them."""

from django.db import migrations, models

TABLES = {
    "policies": ("compliance_policy", "compliance_revision", "compliance_promise"),
    "tiers": ("compliance_tier", "compliance_tierrevision", "compliance_tiernaming"),
}
# Of a sequence, so that no number comes twice, not even where a write is taken back.
MAKE = """
CREATE SEQUENCE compliance_stamp_n;
CREATE FUNCTION compliance_stamped() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO compliance_stamp ("of", n) VALUES (TG_ARGV[0], nextval('compliance_stamp_n'))
    ON CONFLICT ("of") DO UPDATE SET n = excluded.n;
    RETURN NULL;
END $$;
"""
STAMP = """
CREATE TRIGGER stamped AFTER INSERT OR UPDATE OR DELETE ON {table}
FOR EACH STATEMENT EXECUTE FUNCTION compliance_stamped('{of}')
"""
FORGET = "DROP FUNCTION compliance_stamped(); DROP SEQUENCE compliance_stamp_n"


class Migration(migrations.Migration):
    dependencies = [("compliance", "0006_tier_outlooks")]

    operations = [
        migrations.CreateModel(
            name="Stamp",
            fields=[
                ("of", models.CharField(max_length=16, primary_key=True, serialize=False)),
                ("n", models.BigIntegerField()),
            ],
        ),
        migrations.RunSQL(MAKE, FORGET),
        *(
            migrations.RunSQL(STAMP.format(table=table, of=of), f"DROP TRIGGER stamped ON {table}")
            for of, tables in TABLES.items()
            for table in tables
        ),
    ]
