"""What people write down of a thing."""

from django.db import models

from keelmark.estate.models.entity import Entity


class Note(models.Model):
    """A text in Markdown about one thing; one that was dropped can be brought back."""

    of = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="notes")
    body = models.TextField()
    author = models.ForeignKey("auth.User", on_delete=models.SET_NULL, null=True, related_name="+")
    author_name = models.CharField(max_length=150)  # stays when the person goes
    written_at = models.DateTimeField()
    changed_at = models.DateTimeField(null=True)
    dropped_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-written_at", "-pk"]
        indexes = [models.Index(name="note_of_thing", fields=["of", "-written_at"])]

    def __str__(self) -> str:
        return f"note of {self.author_name} at {self.written_at}"
