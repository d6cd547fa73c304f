"""What a person keeps of the desk itself: views of the line book, and when they last looked at the Watch."""

from django.db import models
from django.db.models import Q

from northing.directory.models import Person


class Visit(models.Model):
    """When a person last looked at the Watch, and the time before: what is newer is marked."""

    person = models.OneToOneField(Person, models.CASCADE, primary_key=True)
    at = models.DateTimeField()
    before = models.DateTimeField()


class SignIn(models.Model):
    """A session that a person began, to be seen and ended by them."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="sign_ins")
    session = models.CharField(max_length=40, unique=True)
    at = models.DateTimeField()
    caller = models.CharField(max_length=45, blank=True)
    agent = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-id"]


class Refusal(models.Model):
    """A sign-in that failed; too many of them lock the name, or the address, for a while."""

    door = models.CharField(max_length=160)
    at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["door", "at"], name="refusals_at_door")]


class SavedView(models.Model):
    """A view of the line book under a name: its address, for oneself or for everybody."""

    owner = models.ForeignKey(Person, models.CASCADE, related_name="views")
    name = models.CharField(max_length=60)
    query = models.CharField(max_length=1500)
    shared = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="view_name_once")]

    @staticmethod
    def seen_by(person: Person):
        """The person's own views and those shared with everybody."""
        return SavedView.objects.filter(Q(owner=person) | Q(shared=True)).select_related("owner")
