"""Letters, and addresses that are told what happens."""

from django.db import models

from northing.access.models import Person
from northing.masterdata.models import Company, Party


class Message(models.Model):
    """A mail to a person outside, or a trial copy to its writer. It is written in the action and sent by the worker."""

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


class MailServer(models.Model):
    """Where letters go, as a person entered it. The newest counts; one without an address: MAIL_URL counts again."""

    # smtp://host:port or smtps://host:port.
    address = models.CharField(max_length=280, blank=True)
    name = models.CharField(max_length=200, blank=True)
    # Encrypted; empty where the server asks for no name.
    password = models.TextField(blank=True)
    sender = models.CharField(max_length=254, blank=True)
    set_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return self.address or "MAIL_URL"


class Webhook(models.Model):
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


class WebhookDelivery(models.Model):
    """One thing told to one address, until it was taken or is given up."""

    hook = models.ForeignKey(Webhook, models.CASCADE, related_name="deliveries")
    kind = models.CharField(max_length=20)
    body = models.JSONField()
    made_at = models.DateTimeField()
    tries = models.PositiveSmallIntegerField(default=0)
    done_at = models.DateTimeField(null=True)
    given_up = models.BooleanField(default=False)
    said = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-id"]
