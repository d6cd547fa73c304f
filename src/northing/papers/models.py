"""The story of every record, and the keys that make a deed happen once."""

from django.db import models

from northing.directory.models import Company, Party, Person


class StoryEntry(models.Model):
    """One deed as it is told: who, what, when it occurred, when it was recorded. Append-only."""

    deed = models.CharField(max_length=24)
    actor = models.ForeignKey(Person, models.PROTECT, null=True)
    door = models.CharField(max_length=12, default="page")
    at = models.DateTimeField()
    occurred_on = models.DateField()
    text = models.TextField()
    changes = models.JSONField(default=list)
    # What the supplier may read as well: remarks shared with them, and what they said themselves.
    shared = models.BooleanField(default=False, db_default=False)

    class Meta:
        indexes = [models.Index(fields=["-at"], name="story_newest")]


class StoryLink(models.Model):
    """A record that an entry is about. Append-only."""

    entry = models.ForeignKey(StoryEntry, models.PROTECT, related_name="links")
    kind = models.CharField(max_length=12)
    record = models.BigIntegerField()
    company = models.ForeignKey(Company, models.PROTECT, null=True)

    class Meta:
        indexes = [models.Index(fields=["kind", "record"], name="story_of_record")]


class IdempotencyKey(models.Model):
    """A key that came with a deed, the digest of the request, and what the deed returned."""

    key = models.CharField(max_length=64)
    actor = models.ForeignKey(Person, models.PROTECT)
    deed = models.CharField(max_length=24)
    digest = models.CharField(max_length=64)
    result = models.JSONField(null=True)
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["actor", "key"], name="key_once_per_person")]


class Message(models.Model):
    """A mail to somebody outside, or a trial copy to oneself. It is written in the deed and sent by the worker."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        SENT = "sent", "Sent"
        FAILED = "failed", "Failed"

    kind = models.CharField(max_length=12)
    recipient = models.EmailField()
    subject = models.CharField(max_length=200)
    body = models.TextField()
    # Papers that are made when it goes: [maker, id].
    attached = models.JSONField(default=list)
    message_id = models.CharField(max_length=120, unique=True)
    company = models.ForeignKey(Company, models.PROTECT, null=True)
    supplier = models.ForeignKey(Party, models.PROTECT, null=True, related_name="messages")
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    tries = models.PositiveSmallIntegerField(default=0)
    error = models.CharField(max_length=240, blank=True)
    made_at = models.DateTimeField()
    sent_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


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
    def shown(self):
        """Whether a browser may show it in itself: it holds no script."""
        return self.media_type in ("image/png", "image/jpeg", "image/gif", "application/pdf")


class Errand(models.Model):
    """Work of more than a second, done by the worker: how far it is, what was refused and why, what it made."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting for the worker"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"

    kind = models.CharField(max_length=24)
    title = models.CharField(max_length=160)
    person = models.ForeignKey(Person, models.PROTECT, related_name="errands")
    key = models.CharField(max_length=64)
    request = models.JSONField()
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    refused = models.JSONField(default=list, help_text="What was refused, and why: name, address, words")
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    said = models.CharField(max_length=240, blank=True)
    file = models.CharField(max_length=80, blank=True)
    back = models.CharField(max_length=600, blank=True)
    made_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["person", "key"], name="errand_once_per_key")]

    @property
    def is_over(self) -> bool:
        return self.state in (self.State.DONE, self.State.FAILED)


class Hook(models.Model):
    """An address that is told what happens; what is sent is signed with its secret."""

    url = models.URLField(max_length=200)
    secret = models.CharField(max_length=64)
    # Of papers.hooks.KINDS.
    kinds = models.JSONField(default=list)
    set_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return self.url


class HookDelivery(models.Model):
    """One thing told to one address, until it was taken or is given up."""

    hook = models.ForeignKey(Hook, models.CASCADE, related_name="deliveries")
    kind = models.CharField(max_length=20)
    body = models.JSONField()
    made_at = models.DateTimeField()
    next_at = models.DateTimeField(null=True)
    tries = models.PositiveSmallIntegerField(default=0)
    done_at = models.DateTimeField(null=True)
    said = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["next_at"], condition=models.Q(next_at__isnull=False), name="hook_due")]
