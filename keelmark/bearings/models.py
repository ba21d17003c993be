"""Revisions of the estate as columns, packed, and finished days packed beside them."""

from django.db import models


class Pack(models.Model):
    """One table of columns in the Arrow stream format, compressed; kept once however often used."""

    digest = models.CharField(max_length=64, unique=True)
    kind = models.CharField(max_length=20)
    made_at = models.DateTimeField()
    content = models.BinaryField()

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"pack of {self.kind} {self.digest[:8]}"


class Revision(models.Model):
    """The whole estate at one moment: a pack a table."""

    made_at = models.DateTimeField()
    day = models.DateField()
    layout = models.CharField(max_length=16)  # of which columns: another program reads others
    packs = models.ManyToManyField(Pack, related_name="revisions")

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"revision {self.pk} of {self.day}"


class PackedDay(models.Model):
    """What was read by the end of a day that is over; made when it is first looked at.

    A day that is told of or corrected afterwards is made anew.
    """

    day = models.DateField(primary_key=True)
    made_at = models.DateTimeField()
    past_told_at = models.DateTimeField(null=True)  # when any past was told last, as seen then
    content = models.BinaryField()

    class Meta:
        ordering = ["day"]

    def __str__(self) -> str:
        return f"packed day {self.day}"


class Sifting(models.Model):
    """A sift that somebody keeps under a name, for themselves or for all."""

    name = models.CharField(max_length=80)
    text = models.CharField(max_length=4000)
    owner = models.ForeignKey("auth.User", on_delete=models.CASCADE, related_name="siftings")
    is_shared = models.BooleanField(default=False)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["name", "pk"]
        constraints = [
            models.UniqueConstraint(name="one_sifting_a_name", fields=["owner", "name"]),
        ]

    def __str__(self) -> str:
        return f"{self.name}: {self.text}"
