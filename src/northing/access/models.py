"""People, roles, tokens."""

from django.contrib.auth.models import AbstractUser
from django.db import models

from northing.database import fields
from northing.masterdata.models import Company


class Person(AbstractUser):
    """A person who signs in."""

    # The right to change what all companies share: roles of the house, webhooks, feeds, the mail server.
    # No role includes it.
    keeps_house = models.BooleanField(default=False, db_default=False)

    class Meta:
        ordering = ["username"]

    def __str__(self):
        return self.get_full_name() or self.username


class SupplierPerson(models.Model):
    """Holds who acts when a supplier answers through its link: a person of that name who cannot sign in."""

    person = models.OneToOneField(Person, models.PROTECT, primary_key=True, related_name="supplier_person")
    supplier = models.OneToOneField("masterdata.Party", models.PROTECT, related_name="supplier_person")


class Role(models.Model):
    """The permissions of a role that is not as it ships, or does not ship at all: of the house, or of one company.

    A company's own goes before the house's of that code.
    """

    code = models.CharField(max_length=16)
    company = models.ForeignKey(Company, models.CASCADE, null=True, related_name="roles")
    permissions = models.JSONField(default=list)

    class Meta:
        ordering = ["code", "company"]
        constraints = [
            models.UniqueConstraint(fields=["code", "company"], name="role_once_by_company", nulls_distinct=False)
        ]


class Grant(models.Model):
    """A role that a person has in a company, at all its sites or at one."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="grants")
    company = models.ForeignKey(Company, models.CASCADE)
    role = models.CharField(max_length=16)
    site = models.ForeignKey("masterdata.Site", models.CASCADE, null=True, blank=True)
    # What an approver may approve at most, in the company's base currency; none: any amount.
    limit = fields.money(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["person", "company", "role", "site"], name="grant_once", nulls_distinct=False
            )
        ]


SCOPES = ("read", "orders", "confirmations", "documents", "suppliers", "passage", "dock", "bills")


class ApiToken(models.Model):
    """A key by which a program acts for a person, within scopes and until it expires. Only its hash is kept."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=60)
    token_hash = models.CharField(max_length=64, unique=True)
    scopes = models.JSONField(default=list)
    made_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class Knock(models.Model):
    """How often a door was knocked at within a minute: by link, or by address with a token no one has."""

    channel = models.CharField(max_length=80)
    minute = models.DateTimeField()
    count = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["channel", "minute"], name="knock_once_a_minute")]
