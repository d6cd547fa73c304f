"""The calls of the directory: suppliers, items and their prices, read and kept."""

from typing import Any

from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest
from ninja import Router

from northing.actions.masterdata import records
from northing.actions.masterdata import suppliers as suppliers_action
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, page
from northing.api.parameters import After, Limit, Words, answers
from northing.api.shapes import masterdata as shapes
from northing.masterdata.kinds import KINDS
from northing.masterdata.models import Agreement, Item, Party

router = Router()


@router.get("/suppliers", response=answers(shapes.Suppliers), tags=["directory"])
def suppliers(request: HttpRequest, after: After = "", limit: Limit = USUAL, q: Words = ""):
    """Suppliers, by id; `q` is part of a name or code."""
    require(request, "read")
    found = Party.objects.filter(kind=Party.Kind.SUPPLIER)
    rows, following = page(found.filter(Q(name__icontains=q) | Q(code__icontains=q)), after, limit)
    return {"items": rows, "next": following}


@router.get("/items", response=answers(shapes.Items), tags=["directory"])
def items(request: HttpRequest, after: After = "", limit: Limit = USUAL, q: Words = ""):
    """Items, by id; `q` are words of the description or part of the code or GTIN."""
    require(request, "read")
    found = Item.objects.prefetch_related("packs")
    for word in q.split()[:10]:
        one = Q(description__icontains=word) | Q(code__icontains=word) | Q(packs__gtin__startswith=word)
        found = found.filter(one)
    rows, following = page(found.distinct(), after, limit)
    return {"items": rows, "next": following}


@router.put("/suppliers", response=answers(shapes.Supplier), tags=["directory"])
def keep_supplier(request: HttpRequest, asked: shapes.SupplierIn):
    """Keep a supplier: one with that code is changed by what is said, else it is made."""
    require(request, "suppliers")
    return Party.objects.get(pk=_keep(request, "supplier", asked))


@router.put("/items", response=answers(shapes.ItemOut), tags=["directory"])
def keep_item(request: HttpRequest, asked: shapes.ItemIn):
    """Keep an item and its packs: one with that code is changed by what is said, else it is made."""
    require(request, "suppliers")
    with transaction.atomic():
        key = _keep(request, "item", asked)
        texts = [dict(pack) | {"item": asked.code} for pack in asked.packs]
        rows = tuple((place, _texts("pack", one)) for place, one in enumerate(texts))
        if rows:
            records.keep_rows(act_of(request).inner(), records.RowsRequest("pack", rows))
    return Item.objects.prefetch_related("packs").get(pk=key)


def _keep(request: HttpRequest, name: str, asked: Any) -> int:
    kind = KINDS[name]
    found = kind.rows().filter(code__iexact=asked.code).values_list("pk", flat=True).first()
    said = {name: value for name, value in dict(asked).items() if name in asked.model_fields_set and name != "packs"}
    if found is not None:
        del said["code"]
    return records.keep_record(act_of(request), records.RecordRequest(name, found, _texts(name, said)))


def _texts(name: str, said: dict[str, Any]) -> tuple[tuple[str, str], ...]:
    """Facts as the action reads them. A reference is a code already."""
    facts = {fact.name: fact for fact in KINDS[name].facts}
    return tuple(
        (key, str(value or "") if facts[key].refers else facts[key].said(value)) for key, value in said.items()
    )


@router.get("/agreements", response=answers(shapes.Agreements), tags=["directory"])
def agreements(request: HttpRequest, after: After = "", limit: Limit = USUAL, supplier: Words = ""):
    """Price steps, by id; `supplier` is a code."""
    require(request, "read")
    found = Agreement.objects.select_related("item")
    if supplier:
        found = found.filter(supplier__code=supplier)
    rows, following = page(found, after, limit)
    return {"items": [_agreement(row) for row in rows], "next": following}


def _agreement(row: Agreement) -> dict[str, Any]:
    names = (
        "id",
        "supplier_code",
        "price",
        "currency",
        "valid_from",
        "from_quantity",
        "minimum",
        "multiple",
        "lead_days",
    )
    return {name: getattr(row, name) for name in names} | {"supplier": row.supplier_id, "item": row.item.code}


@router.put("/agreements", response=answers(shapes.AgreementOut), tags=["directory"])
def set_agreement(request: HttpRequest, asked: shapes.AgreementIn):
    """Write a price step; one of the same item, day and quantity is replaced."""
    require(request, "suppliers")
    key = suppliers_action.set_agreement(act_of(request), suppliers_action.AgreementRequest(**dict(asked)))
    return _agreement(Agreement.objects.select_related("item").get(pk=key))
