"""The demo world can be laid on any day, and holds what it promises."""

from datetime import date

import pytest
from django.db.models import F

from northing.actions.worklist.proof import move_faults
from northing.claims.models import Claim
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry, OriginProof, TariffMove
from northing.demo.world import lay_world
from northing.ledger.models import Entry
from northing.positions.models import Position
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from northing.shipping.models import ShipmentLine
from northing.worklist.models import Matter


@pytest.mark.parametrize("today", [date(2026, 11, 25), date(2028, 3, 1)])
def test_every_situation_is_there_and_the_books_explain_themselves(nothing_yet, today):
    lay_world(today)
    assert (position_faults(), book_faults(), move_faults()) == ([], [], [])
    for place in (
        "with_supplier",
        "packed",
        "under_way",
        "landed",
        "held",
        "in_store",
        "rejected",
        "returned",
        "missing",
    ):
        assert Position.objects.filter(**{f"{place}__gt": 0}).exists(), place
    assert Position.objects.filter(excess__gt=0).exists()
    assert {*Matter.objects.values_list("party", flat=True)} == {
        "accounts",
        "us",
        "supplier",
        "carrier",
        "customs",
        "dock",
        "quality",
    }
    assert {*Claim.objects.values_list("kind", flat=True)} == {"rejected", "missing", "wrong"}
    companies = ShipmentLine.objects.values_list("container", "instalment__line__order__company").distinct()
    boxes = [box for box, _ in companies]
    assert len(boxes) > len(set(boxes)), "no container is shared by both companies"
    assert TariffMove.objects.filter(after__gt=F("before")).exists() and OriginProof.objects.exists()
    assert CustomsEntry.objects.exclude(included=[]).exists()
    assert Charge.objects.filter(basis="by_hand", kind="handling").exists()
    assert Entry.objects.filter(action="book_bill", text__contains="PC-1190").exists()
