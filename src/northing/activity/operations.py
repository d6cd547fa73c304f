"""Writes of the story and of idempotency keys."""

import hashlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from functools import wraps
from typing import Any

from django.db import DataError, IntegrityError, OperationalError, connection, transaction
from psycopg.errors import DeadlockDetected

from northing.access.acts import Act
from northing.activity.models import HistoryEntry, HistoryLink, IdempotencyKey
from northing.core.problems import KeyReused, Problem, Refused
from northing.database.columns import insert_columns

Link = tuple[str, int, int | None]
ATTEMPTS = 3

# What the database's last guards mean to a person.
CONSTRAINTS = {
    "bill_number_once": Problem(
        "This payee's bill number is booked already.",
        "bill_number",
        "Look it up under Costs; a correction is a new bill.",
    ),
    "authorised_once_by_reference": Problem("This reference is used in the case already.", "reference"),
    "masterdata_defect_code_key": Problem("There is a defect of this code already.", "code", "Change that one."),
    "characteristic_once": Problem("There is such a check already.", "name", "Change that one."),
    "characteristic_limits": Problem("The lower limit is above the upper limit.", "least", "Exchange them."),
    "masterdata_territory_code_key": Problem("This territory is there already.", "code", "Change that one."),
    "territory_unit_above_zero": Problem("Amounts are rounded to a unit above 0.", "unit", "Leave it empty for cents."),
    "masterdata_countrygroup_code_key": Problem("This code is taken.", "code", "Change that group."),
    "released_once": Problem("They are released already.", mend="Reload the page."),
    "origin_proof_once": Problem("This proof is there already.", "number"),
    "rate_once_a_day": Problem("There is a rate of that day.", "day", "Change that one."),
    "rate_above_zero": Problem("The rate must be above 0.", "rate"),
    "rate_card_valid": Problem("The last day is before the first.", "valid_until"),
    "rate_card_type_of_containers": Problem("Only a card per container is for a container type.", "size_type"),
    "masterdata_ratecard_code_key": Problem("This code is taken.", "code", "Change that card, or give another code."),
    "masterdata_usualbasis_kind_key": Problem("This kind has a basis already.", "kind", "Change that one."),
    "tariff_once": Problem("There is such a rule from that day.", "valid_from", "Change that one."),
    "item_duty_unit_whole": Problem(
        "The other unit of duties takes its name and how many of it are in one.", "duty_units", "Fill both, or neither."
    ),
    "tariff_combines_two": Problem("The higher or lower of two takes a percentage and an amount.", "combine"),
    "tariff_amount_in_currency": Problem("An amount has a currency, and a currency an amount.", "currency"),
    "tariff_extra_named": Problem("An extra duty has a name.", "name", "It tells several of them apart."),
    "tariff_preference_of": Problem("A preference is for an origin.", "origin", "Name a country or a group."),
    "tariff_tax_is_a_rate": Problem("Import tax is a percentage without a proof.", "amount", "Leave the others empty."),
    "tariff_one_origin": Problem("Name a country or a group, not both.", "group"),
    "tariff_valid": Problem("The last day is before the first.", "valid_until"),
    "claim_days_once_by_mode": Problem("The days of this party and mode are kept already.", "mode", "Change those."),
    "inspection_rule_once": Problem("There is such a rule already.", "item", "Change that one."),
    "position_not_negative": Problem(
        "Another person has just moved these units.", mend="Look again and repeat what is still to do."
    ),
    "entry_number_once": Problem(
        "This customs entry number is booked already.", "number", "A correction has a number of its own."
    ),
    "goods_declared_once": Problem("Another entry declares some of these goods.", "number", "Reload the page."),
    "container_once": Problem("This container is in the shipment already.", "number"),
    "voyage_once": Problem("This voyage is known already; choose it from the list.", "number"),
    **{
        f"masterdata_{name}_code_key": Problem(
            "This code is taken.", "code", "Open that record, or choose another code."
        )
        for name in ("company", "site", "party", "item", "paymentterms", "bankaccount")
    },
    "masterdata_port_pkey": Problem("This port is there already.", "code", "Open it and change that."),
    "bin_once_per_site": Problem("The site has a bin of that code.", "code", "Open it, or choose another code."),
    "tax_code_once": Problem("The company has a tax code of that name.", "code", "Open it and change that."),
    "kept_bill_once": Problem("A bill of this number is kept already.", "bill_number", "Open that one."),
    "pack_once_per_item": Problem("The item has a pack of that name.", "name", "Open it and change that."),
    "masterdata_pack_gtin_key": Problem("This GTIN is on another pack.", "gtin", "Check it."),
    "agreement_once": Problem("There is a price from that day and quantity.", "valid_from", "Open it and change that."),
    "free_time_once": Problem("There is such free time from that day.", "valid_from", "Open it and change that."),
    "route_leg_once": Problem("The route has a leg of that number.", "number", "Open it, or choose another number."),
    "masterdata_workingweek_country_key": Problem("This working week is there already.", "country", "Open it."),
    "masterdata_pastpassage_reference_key": Problem("There is a passage of that reference.", "reference", "Open it."),
    "holiday_once": Problem("This holiday is there already.", "day"),
    "one_open_answer": Problem("An answer to this instalment is open already.", mend="Accept or refuse it first."),
    "on_hand_not_negative": Problem("Another person has just taken these units.", mend="Look again."),
    "layer_gone_within_received": Problem("Another person has just taken these units.", mend="Look again."),
}


def add_history(
    act: Act,
    action: str,
    text: str,
    links: Iterable[Link],
    occurred_on: date | None = None,
    changes: list[dict[str, str]] | None = None,
    shared: bool = False,
) -> HistoryEntry:
    """Write what happened, and tie it to its records: (kind, id, company id or None)."""
    entry = HistoryEntry.objects.create(
        action=action,
        # A rule acts for no one.
        actor=None if act.channel == "rule" else act.person,
        channel=act.channel,
        at=act.at,
        occurred_on=occurred_on or act.today,
        text=text,
        changes=changes or [],
        shared=shared,
    )
    add_links(entry, links)
    return entry


def add_links(entry: HistoryEntry, links: Iterable[Link]) -> None:
    """Tie what happened to its records; the one it made among them."""
    HistoryLink.objects.bulk_create(
        HistoryLink(entry=entry, kind=kind, record=record, company_id=company)
        for kind, record, company in dict.fromkeys(links)
    )


@dataclass(frozen=True)
class HistoryDraft:
    """One of many entries: what was done, in words, the records it is tied to, and what changed."""

    action: str
    text: str
    links: list[Link]
    changes: list[dict[str, str]] = field(default_factory=list)


def add_history_rows(act: Act, told: Sequence[HistoryDraft], occurred_on: date | None = None) -> list[HistoryEntry]:
    """`add_history` for many records at once, in two statements."""
    entries = HistoryEntry.objects.bulk_create(
        HistoryEntry(
            action=one.action,
            actor=act.person,
            channel=act.channel,
            at=act.at,
            occurred_on=occurred_on or act.today,
            text=one.text,
            changes=one.changes,
        )
        for one in told
    )
    links = [
        (entry.pk, kind, record, company)
        for entry, one in zip(entries, told, strict=True)
        for kind, record, company in one.links
    ]
    add_link_rows(links)
    return entries


def add_link_rows(links: Sequence[tuple[int, str, int, int | None]]) -> None:
    """Tie stories (ids) to their records: the kind, the id, the company's id or None."""
    types = {"entry_id": "bigint", "kind": "text", "record": "bigint", "company_id": "bigint"}
    insert_columns(HistoryLink._meta.db_table, types, links)


def once(action: Callable[..., Any]) -> Callable[..., Any]:
    """Make `action(act, request)` one transaction that happens once per key.

    The key is inserted first: a second sender waits for the first and then gets its result.
    The same key with another request raises KeyReused. Database guards become Refused.
    """

    @wraps(action)
    def run(act: Act, request: Any) -> Any:
        for attempt in range(1, ATTEMPTS + 1):
            try:
                with transaction.atomic():
                    if act.guard is not None:
                        act.guard()
                    return _keyed(action, act, request)
            except IntegrityError as error:
                raise _as_refusal(error) from error
            except DataError as error:
                what = "A number or a text here is larger than any Northing keeps."
                raise Refused(Problem(what, mend="Check the largest of them.")) from error
            except OperationalError as error:
                # Two actions met crosswise and the database let this one go: nothing of it is done, it may begin again.
                if not isinstance(error.__cause__, DeadlockDetected):
                    raise
                if attempt == ATTEMPTS or connection.in_atomic_block:
                    what = "Another person is changing the same records."
                    raise Refused(Problem(what, mend="Send it again.")) from error
        raise AssertionError("unreachable")

    return run


def _keyed(action: Callable[..., Any], act: Act, request: Any) -> Any:
    if not act.key:
        return action(act, request)
    done, result = _taken(act, action.__name__, request)
    if done:
        return result
    result = action(act, request)
    IdempotencyKey.objects.filter(actor=act.person, key=act.key).update(result=result)
    return result


def _taken(act: Act, action: str, request: Any) -> tuple[bool, Any]:
    digest = hashlib.sha256(repr(request).encode()).hexdigest()
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into activity_idempotencykey (key, actor_id, action, digest, at) values (%s, %s, %s, %s, %s)"
            " on conflict (actor_id, key) do nothing",
            [act.key, act.person.pk, action, digest, act.at],
        )
        if cursor.rowcount:
            return False, None
    before = IdempotencyKey.objects.get(actor=act.person, key=act.key)
    if (before.action, before.digest) != (action, digest):
        raise KeyReused(
            Problem(
                "This form was sent before with other contents.",
                mend="Reload the page to see what was saved, then go on.",
            )
        )
    return True, before.result


def purge_keys(before: datetime) -> int:
    """Remove the keys of requests before a time. Returns how many there were."""
    return IdempotencyKey.objects.filter(at__lt=before).delete()[0]


def _as_refusal(error: IntegrityError) -> Refused:
    name = getattr(getattr(error.__cause__, "diag", None), "constraint_name", None) or ""
    return Refused(
        CONSTRAINTS.get(name, Problem(f"The database refused this ({name or 'constraint'}).", mend="Look again."))
    )
