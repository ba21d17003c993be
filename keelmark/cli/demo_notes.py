"""What the people of the demo wrote down of its things."""

# By whom, of what (kind and name), and the words.
NOTES = (
    ("keeper", "vm", "sonar-d0003", "Survey season: **doubles** from May to August.\n\n"
     "- raw lines stay on *data* for 60 days\n- then they move to the archive"),
    ("planner", "vm", "sonar-d0003", "Asked Seabed Mapping whether its oldest snapshot may "
     "go. They want to keep it until the season is over."),
    ("keeper", "array", "heron-1", "Support ends in spring 2028; two bays of the last shelf "
     "are promised to Satellite Archive."),
    ("planner", "cluster", "kelp", "One host is down for its memory; the spare part is ordered."),
)  # fmt: skip


def write_notes() -> None:
    """Put the notes down, once; of what this size of the demo does not have, none."""
    from django.contrib.auth.models import User

    from keelmark.estate.models import Entity, Note
    from keelmark.estate.services.notes import write_note

    if Note.objects.exists():
        return
    people = {person.username: person for person in User.objects.all()}
    for who, kind, name, body in NOTES:
        found = Entity.objects.filter(kind=kind, name=name, retired_at=None).first()
        if found is not None and who in people:
            write_note(actor=people[who], entity=found, body=body)
