"""Links by which suppliers answer without an account: made, found by their token, renewed, revoked."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.conf import settings
from django.db import connection
from django.utils import timezone

from northing.access import operations as access
from northing.access.acts import Act
from northing.access.models import Grant, Person, SupplierPerson
from northing.activity.operations import add_history, once
from northing.confirmations import operations
from northing.confirmations.models import SupplierLink
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Company, Party
from northing.messaging.models import Message
from northing.reports.dealings import companies_of_parties

# 24 bytes are 192 bits; a link lives as long as an order usually takes to be answered and packed.
TOKEN_BYTES, LIVES_DAYS = 24, 45
LINK = "{supplier link}"
# Who answers by a link.
ANSWER = (Party.Kind.SUPPLIER, Party.Kind.PROVIDER)
# Knocks a minute: of one link, and of one address with tokens that no one has.
MOST_KNOCKS, MOST_MISSES = 120, 12


@dataclass(frozen=True)
class InviteRequest:
    """A link for a supplier; why it was made is for us to remember."""

    supplier: int
    why: str = ""


@dataclass(frozen=True)
class RevokeRequest:
    """All links of a supplier end now."""

    supplier: int


def hashed(token: str) -> str:
    """The hash under which a token is kept."""
    return hashlib.sha256(token.encode()).hexdigest()


def invite(act: Act, request: InviteRequest) -> str:
    """Make a link and return its address, once: only its hash is kept. Not keyed, since a result would be stored."""
    supplier = Party.objects.get(pk=request.supplier, kind__in=ANSWER)
    act.require("invite", *_companies(act, supplier))
    token = _make(supplier, act.person, act.at, request.why)
    add_history(act, "invite", f"Made a link for {supplier}", [("party", supplier.pk, None)])
    return address(token)


def _make(supplier: Party, by: Person, at: datetime, why: str) -> str:
    token = secrets.token_urlsafe(TOKEN_BYTES)
    operations.write_link(
        SupplierLink(
            supplier=supplier,
            token_hash=hashed(token),
            made_by=by,
            made_at=at,
            expires_at=at + timedelta(days=LIVES_DAYS),
            why=why[:120],
        )
    )
    acting_person(supplier)
    return token


def address(token: str) -> str:
    """The whole address of a link."""
    return f"{settings.PUBLIC_URL}/confirmations/link/{token}/"


@once
def revoke(act: Act, request: RevokeRequest) -> int:
    """End every link of a supplier. Returns how many there were."""
    supplier = Party.objects.get(pk=request.supplier, kind__in=ANSWER)
    act.require("invite", *_companies(act, supplier))
    ended = operations.end_links(supplier, act.at)
    add_history(act, "revoke_links", f"Ended {ended} links of {supplier}", [("party", supplier.pk, None)])
    return ended


def _companies(act: Act, supplier: Party) -> list[int]:
    """The companies that deal with the party: its link shows what concerns each. Where there is none yet, any of the
    person's own.
    """
    return sorted(companies_of_parties([supplier.pk])[supplier.pk]) or list(
        act.person.grants.values_list("company", flat=True)[:1]
    )


def acting_person(supplier: Party) -> Person:
    """The person of the party's name, who cannot sign in and may only answer, in whatever company."""
    role = "supplier" if supplier.kind == Party.Kind.SUPPLIER else "provider"
    found = SupplierPerson.objects.select_related("person").filter(supplier=supplier).first()
    if found is None:
        found = access.add_supplier_person(supplier)
    access.give_roles(Grant(person=found.person, company=company, role=role) for company in Company.objects.all())
    return found.person


def opened(token: str, at: datetime, caller: str) -> SupplierLink | None:
    """The link of a token, if it is one and lives. Raises Refused when there is too much knocking."""
    link = SupplierLink.objects.select_related("supplier").filter(token_hash=hashed(token)).first()
    lives = link is not None and link.revoked_at is None and link.expires_at > at
    channel, most = (f"link {link.pk}", MOST_KNOCKS) if lives else (f"miss {caller}", MOST_MISSES)
    if knock(channel[:80], at) > most:
        raise Refused(Problem("This was asked for too often.", mend="Wait a minute, then open the link again."))
    if not lives:
        return None
    operations.use_link(link, at)
    return link


def knock(channel: str, at: datetime) -> int:
    """How often a person has knocked at a door in this minute, this time included."""
    minute = at.replace(second=0, microsecond=0)
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into access_knock as k (channel, minute, count) values (%s, %s, 1)"
            " on conflict (channel, minute) do update set count = k.count + 1 returning count",
            [channel, minute],
        )
        return cursor.fetchone()[0]


def link_for(message: Message) -> str:
    """A link of its own for each letter that goes, made as it goes: the letter as it is kept holds none."""
    if message.kind == "trial" or message.supplier is None:
        return "(the supplier's own link stands here)"
    maker = message.chaser.made_by if hasattr(message, "chaser") else None
    made = address(_make(message.supplier, maker or acting_person(message.supplier), timezone.now(), message.subject))
    orders = [record for kind, record in message.attached if kind == "order"]
    # It opens at the order of the letter.
    return f"{made}?order={orders[0]}" if len(orders) == 1 else made
