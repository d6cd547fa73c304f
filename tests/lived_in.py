"""A world in which something of everything has happened, and every address of the application in it."""

from decimal import Decimal as D

from django.urls import URLPattern, get_resolver, reverse

from northing.access.models import Grant, Person
from northing.actions.activity import remarks
from northing.actions.billing import keep
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.confirmations import supplier_links
from northing.actions.inventory import issue
from northing.actions.payments import ask
from northing.actions.payments.pay import pay
from northing.actions.payments.request import PartRequest, PayRequest
from northing.actions.receiving import told
from northing.actions.shipping import despatch_notices, pack
from northing.activity.models import HistoryEntry
from northing.billing.models import Bill, KeptBill
from northing.claims.models import Authorisation, CaseEnd, Claim, ClaimMoney, GoodsReturn, ReturnNote
from northing.confirmations.models import Answer
from northing.costing.models import Charge
from northing.customs.models import (
    CustomsEntry,
    OfficePayment,
    OfficePaymentPart,
    OriginProof,
    Release,
    TariffChange,
    TariffMove,
)
from northing.formats.despatch import Line, Notice
from northing.formats.told_receipts import Told, ToldLine
from northing.inventory.models import BinMove, OnHand, Opening, StockCount, StockIssue, Transfer
from northing.jobs.jobs import begin
from northing.ledger.models import AskedRate, Closing, CostLayer, Entry, JournalExport
from northing.messaging.models import Message, Webhook
from northing.orders.models import OrderFile, OrderLine, PurchaseOrder
from northing.payments.models import AskedPayment, BetweenPayment, Payment
from northing.quality.models import Inspection
from northing.receiving.models import HeldDecision, Receipt, ReceiptLine, ShortQuestion, ToldReceipt
from northing.shipping.models import (
    CarrierEvent,
    DateStatement,
    DespatchNotice,
    RequiredDocument,
    Ripple,
    Shipment,
    ShipmentLine,
    Voyage,
)
from northing.worklist.models import SavedView
from tests.small_pdf import small_pdf
from tests.worlds import CALLS, NOW, ROLES, TODAY

# Addresses that name one of some words: one of them.
WORDS = {
    "document-page": {"page": 1},
    "voyage-happens": {"name": "roll"},
    "shipment-happens": {"name": "split"},
    "bill-act": {"act": "block"},
    "account-sheet": {"account": "stock"},
    "asked-act": {"act": "drop"},
    "end-units": {"way": "keep"},
    "case-money": {"way": "claim"},
    "return-debit": {"form": "xml"},
    "case-debit": {"form": "xml"},
    "tend-case": {"way": "take"},
}


def live_in(world):
    """Let something of everything happen, all of it the NZ company's."""
    world.items["B"].inspected = True
    world.items["B"].save()
    euros = world.sent_order({"B": D(100)})
    world.sent_order({"C": D(10)}, agreed=False)
    shipment = world.shipment([euros])
    world.say(shipment, "departure")
    world.charge(shipment, "freight", "100.00", "USD", "volume")
    world.receive(shipment, {"B": D(90)}, still_coming=False)
    return world


def facts_of(world):
    """Ids of an inspection, a return, a customs entry and an opening of the first company."""
    layer, who = CostLayer.objects.filter(kind="stock").get(), world.people["dock"]
    common = {"company": world.nz, "at": NOW}

    def entry():
        history = HistoryEntry.objects.create(action="x", at=NOW, occurred_on=TODAY, text="x", channel="page")
        return Entry.objects.create(history=history, action="x", text="x", occurred_on=TODAY, at=NOW)

    if not Inspection.objects.exists():
        numbers = dict.fromkeys(("customs_value", "duty", "tax_base", "tax"), 0)
        of_day = {"occurred_on": TODAY}
        Inspection.objects.create(
            layer=layer, passed=1, failed=0, inspector=who, history=entry().history, **common, **of_day
        )
        where = {"site": layer.site, "supplier": world.parties["EUR"], "number": "KLN-B1", "reference": "RA-1"}
        ReturnNote.objects.create(
            goods_return=GoodsReturn.objects.create(**where, **common, **of_day),
            case=Claim.objects.get(),
            quantity=1,
            cost=0,
            claimed=0,
            lost=0,
            returned_by=who,
            entry=entry(),
            **common,
            **of_day,
        )
        CaseEnd.objects.create(
            case=Claim.objects.get(),
            way="kept",
            quantity=1,
            reason="x",
            by=who,
            history=entry().history,
            **common,
            **of_day,
        )
        Authorisation.objects.create(
            case=Claim.objects.get(),
            quantity=1,
            reference="x",
            owed="replacement",
            by=who,
            history=entry().history,
            **common,
            **of_day,
        )
        ClaimMoney.objects.create(
            case=Claim.objects.get(),
            way="more",
            party=world.parties["USD"],
            currency="USD",
            amount=1,
            base=1,
            reason="x",
            by=who,
            entry=entry(),
            **common,
            **of_day,
        )
        CustomsEntry.objects.create(
            office=world.parties["customs"],
            number="E",
            day=TODAY,
            entered_by=who,
            entry=entry(),
            **common,
            **numbers,
        ).shipments.add(Shipment.objects.get())
        OriginProof.objects.create(
            shipment=Shipment.objects.get(), name="certificate", number="C-1", dated=TODAY, added_by=who, **common
        )
        paid = OfficePayment.objects.create(
            office=world.parties["customs"],
            day=TODAY,
            amount=0,
            paid_by=who,
            entry=entry(),
            **common,
        )
        OfficePaymentPart.objects.create(payment=paid, customs_entry=CustomsEntry.objects.get(), amount=0)
        Release.objects.create(customs_entry=CustomsEntry.objects.get(), day=TODAY, said_by=who, **common)
        Opening.objects.create(layer=layer, quantity=1, entered_by=who, entry=entry(), **common, **of_day)
    return {
        "inspection_id": Inspection.objects.get().pk,
        "note_id": ReturnNote.objects.get().pk,
        "end_id": CaseEnd.objects.get().pk,
        "said_id": Authorisation.objects.get().pk,
        "money_id": ClaimMoney.objects.get().pk,
        "return_id": GoodsReturn.objects.get().pk,
        "customs_entry_id": CustomsEntry.objects.get().pk,
        "office_payment_id": OfficePayment.objects.get().pk,
        "release_id": Release.objects.get().pk,
        "proof_id": OriginProof.objects.get().pk,
        "opening_id": Opening.objects.get().pk,
    }


def change_of(world):
    """The id of a change of the tariff that moves the first line there is."""
    job = begin(world.act("costs", "of the tariff"), "tariff_change", "t", {}, 0, "", False)
    change, _ = TariffChange.objects.get_or_create(job=job, words="t", before={"was": "[]", "made": {}})
    TariffMove.objects.get_or_create(
        change=change, line=OrderLine.objects.order_by("pk").first(), quantity=1, before=0, after=0
    )
    return change.pk


def decided_of(world):
    """Ids of a decision about held goods, and of an answered question about what is short."""
    receipt, who = Receipt.objects.get(), world.people["dock"]
    line = receipt.lines.filter(why="").first()
    held, _ = ReceiptLine.objects.get_or_create(
        receipt=receipt, why="unordered", item=line.item, supplier=world.parties["USD"], quantity=1, bin=line.bin
    )
    of_day = {"occurred_on": TODAY, "decided_by": who, "at": NOW, "entry": receipt.entry}
    part = {"instalment": line.instalment, "shipment_line": line.shipment_line, "company": world.nz}
    said = {"quantity": 1, "short": 10, "allowed": 3, "answer": "coming"}
    return {
        "decision_id": HeldDecision.objects.get_or_create(line=held, way="kept", quantity=1, **of_day)[0].pk,
        "question_id": ShortQuestion.objects.get_or_create(line=line, **part, **said)[0].pk,
    }


def count_of(world):
    """The id of a stock adjustment."""
    receipt = Receipt.objects.get()
    line = receipt.lines.filter(why="").first()
    facts = {"company": world.nz, "bin": line.bin, "item": line.item, "before": 1, "counted": 0, "reason": "x"}
    who = {"occurred_on": TODAY, "counted_by": world.people["dock"], "at": NOW, "entry": receipt.entry}
    return StockCount.objects.get_or_create(**facts, **who)[0].pk


def moved_of(world):
    """Ids of a bin, of a move into it, and of a transfer."""
    line, who = Receipt.objects.get().lines.filter(why="").first(), world.people["dock"]
    facts = {"company": world.nz, "at": NOW}

    def told():
        return HistoryEntry.objects.create(action="x", at=NOW, occurred_on=TODAY, text="x", channel="page")

    move = BinMove.objects.first() or BinMove.objects.create(
        site=world.site, what="moved", moved_by=who, history=told(), **facts
    )
    sites = {"source": world.site, "target": world.site, "sent_on": TODAY, "sent_by": who}
    transfer = Transfer.objects.first() or Transfer.objects.create(history=told(), **sites, **facts)
    return {"bin_id": line.bin_id, "move_id": move.pk, "transfer_id": transfer.pk}


def payment_of(world):
    """The id of a payment of a part of the bill."""
    bill, found = Bill.objects.get(), Payment.objects.first()
    if found is None:
        part = PartRequest(D(1), bill=bill.pk)
        key = pay(world.act("accounts"), PayRequest(bill.company_id, bill.party_id, TODAY, bill.currency, (part,)))
        found = Payment.objects.get(pk=key)
    return found.pk


def addresses(world):
    """Every address of the application with ids of the lived-in world."""
    part = ShipmentLine.objects.get()
    ids = {
        "line_id": OrderLine.objects.filter(item__code="B").get().pk,
        "order_id": PurchaseOrder.objects.order_by("pk").first().pk,
        "answer_id": Answer.objects.first().pk,
        "shipment_id": Shipment.objects.get().pk,
        "container_id": part.container_id,
        "shipment_line_id": part.pk,
        "charge_id": Charge.objects.get().pk,
        "bill_id": Bill.objects.get().pk,
        "payment_id": payment_of(world),
        "export_id": JournalExport.objects.get_or_create(
            company=world.nz, through=TODAY, made_by=world.people["accounts"], at=NOW, postings=0
        )[0].pk,
        "closing_id": Closing.objects.get_or_create(
            company=world.nz, through=TODAY.replace(year=2020), closed_by=world.people["accounts"], at=NOW
        )[0].pk,
        "company_id": world.nz.pk,
        "layer_id": CostLayer.objects.filter(kind="stock").get().pk,
        "site_id": world.site.pk,
        "receipt_id": Receipt.objects.get().pk,
        "case_id": Claim.objects.get().pk,
        "item_id": world.items["B"].pk,
        "entry_id": Entry.objects.first().pk,
        "supplier_id": world.parties["USD"].pk,
        "provider_id": world.parties["provider"].pk,
        "message_id": Message.objects.get_or_create(
            kind="t", recipient="a@b.example", message_id="x", company=world.nz, state="failed", made_at=NOW
        )[0].pk,
        **facts_of(world),
        **decided_of(world),
        "count_id": count_of(world),
        **moved_of(world),
        "receipt_line_id": ReceiptLine.objects.filter(why="").first().pk,
        "document_id": document_of(world),
        "file_id": OrderFile.objects.get_or_create(name="f", sha256="x", person=world.people["expediter"], made_at=NOW)[
            0
        ].pk,
        "event_id": CarrierEvent.objects.get_or_create(
            source="s", event_id="e", event_type="x", kind="actual", day=TODAY, said_at=NOW, heard_at=NOW, raw={}
        )[0].pk,
        "notice_id": notice_of(world),
        "told_id": told_of(world),
        "voyage_id": voyage_of(world),
        "ripple_id": Ripple.objects.get_or_create(
            person=world.people["expediter"], company=world.nz, source="s", at=NOW, lines=[], broken=0, saved=0
        )[0].pk,
        "webhook_id": Webhook.objects.get_or_create(
            url="https://x.example/", secret="s", set_by=world.people["administrator"], made_at=NOW
        )[0].pk,
        "paper_id": RequiredDocument.objects.get_or_create(
            shipment=Shipment.objects.get(), kind="lading", party="carrier", due=TODAY, written_on=TODAY
        )[0].pk,
        "name": "site",
        "key": str(world.site.pk),
        "statement_id": DateStatement.objects.first().pk,
        "session_id": 0,
        "pk": 0,
        "grant_id": Grant.objects.filter(company=world.nz, role="dock").first().pk,
        "token_id": 0,
        "kind": "order",
        "record": PurchaseOrder.objects.order_by("pk").first().pk,
        "number": 1,
        "rate_id": AskedRate.objects.get_or_create(
            company=world.nz, currency="XAF", purpose="book", day=TODAY, rate=2, before=1, said_at=NOW, source="s"
        )[0].pk,
        "person_id": world.people["dock"].pk,
        "kept_id": kept_of(world),
        "between_id": between_of(world),
        "asked_id": asked_of(world),
        "token": link_of(world),
        "view_id": SavedView.objects.get_or_create(owner=world.people["expediter"], name="v", query="where=all")[0].pk,
        "issue_id": issue_of(world),
        "change_id": change_of(world),
        "job_id": begin(world.act("expediter", "e"), "set_need_by", "t", {"keys": []}, 0, "", False).pk,
    }
    for pattern in all_patterns(get_resolver("northing.web.urls")):
        wanted = pattern.pattern.converters
        words = WORDS.get(pattern.name, {})
        said = {name: ids[name] for name in wanted if name not in words} | words
        yield pattern.name, reverse(pattern.name, kwargs=said), set(wanted)


def asked_of(world):
    """A payment that waits for a second person."""
    there = AskedPayment.objects.first()
    if there:
        return there.pk
    order = PurchaseOrder.objects.filter(sent_at__isnull=False).order_by("pk").first()
    part = PartRequest(D(1), order=order.pk)
    asked = PayRequest(order.company_id, order.supplier_id, TODAY, order.currency, (part,))
    return ask.ask_payment(world.act("accounts"), asked)


def between_of(world):
    """A settlement between the companies; of nothing, which posts nothing."""
    there = BetweenPayment.objects.first()
    if there:
        return there.pk
    entry = Entry.objects.create(history=HistoryEntry.objects.first(), occurred_on=TODAY, at=NOW, action="t", text="t")
    facts = {"day": TODAY, "currency": "NZD", "amount": 0, "payer_base": 0, "payee_base": 0, "at": NOW, "entry": entry}
    made = BetweenPayment.objects.create(payer=world.nz, payee=world.au, entered_by=world.people["accounts"], **facts)
    return made.pk


def kept_of(world):
    """A bill that waits for its goods."""
    there = KeptBill.objects.first()
    if there:
        return there.pk
    order = PurchaseOrder.objects.filter(sent_at__isnull=False).order_by("pk").first()
    line = BillLineRequest(order_line=order.lines.first().pk, quantity=D(1))
    asked = BillRequest(order.company_id, order.supplier_id, "KEPT-1", TODAY, order.currency, (line,))
    return keep.keep_bill(world.act("costs"), keep.KeepRequest(asked))


def voyage_of(world):
    """A voyage that nothing sails with."""
    there = Voyage.objects.first()
    asked = pack.VoyageRequest("Heron", "9074729", "1", world.parties["provider"].pk, CALLS)
    return there.pk if there else pack.create_voyage(world.act("shipping"), asked)


def notice_of(world):
    """A despatch notice about the first order."""
    there = DespatchNotice.objects.first()
    if there:
        return there.pk
    order = PurchaseOrder.objects.filter(sent_at__isnull=False).order_by("pk").first()
    said = Notice("N", (Line(1, order.number, "1", "", D(1)),))
    return despatch_notices.read(world.act("shipping"), despatch_notices.NoticeRequest(said))


def told_of(world):
    """A receipt that a warehouse told, which waits."""
    there = ToldReceipt.objects.first()
    if there:
        return there.pk
    said = Told("W", TODAY, "", (ToldLine(2, "", "", "A", D(1)),))
    return told.read_told(world.act("dock"), told.ToldRequest(world.site.pk, said))


def document_of(world):
    """A document on the first order."""
    order = PurchaseOrder.objects.order_by("pk").first()
    asked = remarks.DocumentRequest(order.pk, "paper.pdf", small_pdf())
    return remarks.add_document(world.act("expediter", "d"), asked)


def issue_of(world):
    """A stock issue that stands; one unit of what lies in store where there is none."""
    there = StockIssue.objects.filter(reversed_by=None).first()
    lies = OnHand.objects.filter(status="in_store", quantity__gt=0, layer__site=world.site).first()
    if there or not lies:
        return there.pk if there else 0
    asked = issue.IssueRequest(world.site.pk, lies.layer.item_id, D(1), "shops", TODAY)
    return issue.issue_stock(world.act("dock", "i"), asked)


def link_of(world):
    """The token of a supplier's link."""
    asked = supplier_links.InviteRequest(world.parties["USD"].pk)
    return supplier_links.invite(world.act("expediter"), asked).rstrip("/").rpartition("/")[2]


def all_patterns(resolver):
    for pattern in resolver.url_patterns:
        if isinstance(pattern, URLPattern):
            yield pattern
        else:
            yield from all_patterns(pattern)


def everything(world):
    """The administrator has every role, so that every button and form is drawn."""
    administrator = Person.objects.get(username="administrator")
    for role in ROLES:
        administrator.grants.get_or_create(company=world.nz, role=role)
