"""The story of every record, and the keys that make an action happen once."""

from django.db import models

from northing.access.models import Person
from northing.masterdata.models import Company


class HistoryEntry(models.Model):
    """One action as it is told: who, what, when it occurred, when it was recorded. Append-only."""

    action = models.CharField(max_length=24)
    actor = models.ForeignKey(Person, models.PROTECT, null=True)
    channel = models.CharField(max_length=12, default="page")
    at = models.DateTimeField()
    occurred_on = models.DateField()
    text = models.TextField()
    changes = models.JSONField(default=list)
    # What the supplier may read as well: remarks shared with them, and what they said themselves.
    shared = models.BooleanField(default=False, db_default=False)

    class Meta:
        indexes = [
            models.Index(fields=["-at"], name="story_newest"),
            models.Index(fields=["id"], condition=models.Q(action="remark"), name="story_remarks"),
        ]


class HistoryLink(models.Model):
    """A record that an entry is about. Append-only."""

    entry = models.ForeignKey(HistoryEntry, models.PROTECT, related_name="links")
    kind = models.CharField(max_length=12)
    record = models.BigIntegerField()
    company = models.ForeignKey(Company, models.PROTECT, null=True)

    class Meta:
        indexes = [models.Index(fields=["kind", "record"], name="story_of_record")]


class IdempotencyKey(models.Model):
    """A key that came with an action, the digest of the request, and what the action returned."""

    key = models.CharField(max_length=260)
    actor = models.ForeignKey(Person, models.PROTECT)
    action = models.CharField(max_length=24)
    digest = models.CharField(max_length=64)
    result = models.JSONField(null=True)
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["actor", "key"], name="key_once_per_person")]


class Document(models.Model):
    """A file tied to a record. Its type is told by its content; it is kept outside what the web server serves."""

    kind = models.CharField(max_length=12)
    record = models.BigIntegerField()
    company = models.ForeignKey(Company, models.PROTECT, null=True)
    name = models.CharField(max_length=120)
    media_type = models.CharField(max_length=80)
    size = models.PositiveIntegerField()
    sha256 = models.CharField(max_length=64)
    shared = models.BooleanField(default=False, help_text="The supplier may see it")
    added_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    added_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["kind", "record"], name="document_of_record")]

    @property
    def picture(self):
        """Whether it is a picture: a page may show it beside its form."""
        return self.media_type.startswith("image/")

    @property
    def shown(self):
        """Whether a browser may show it in itself: it holds no script."""
        return self.media_type in ("image/png", "image/jpeg", "image/gif", "application/pdf")

    @property
    def paged(self):
        """Whether its pages can be drawn: it is a PDF."""
        return self.media_type == "application/pdf"
