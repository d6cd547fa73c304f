"""Random actions on cases: what is authorised, how units end, what is done about their money, and all taken back."""

from decimal import Decimal as D

from django.db.models import F, Q, Sum
from hypothesis import strategies as some
from hypothesis.stateful import rule

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.claims import authorise, make_good, money, money_cases, returns, tend, ways
from northing.actions.claims.prepared import DespatchRequest, cancel_return, despatch_return
from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.actions.orders import send
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.reversal import ReverseRequest
from northing.billing.models import Bill
from northing.claims.models import Authorisation, CaseEnd, Claim, ClaimMoney, GoodsReturn, ReturnNote
from northing.claims.queries import open_claims
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from tests.worlds import TODAY

PICK = some.integers(0, 20)
UNITS = some.integers(1, 5)


class CaseRules:
    """Mixed into a machine that receives too little and rejects some."""

    def a_case(self, pick, **facts):
        return self.one(Claim.objects.filter(withdrawn_at=None, **facts), pick)

    @rule(pick=PICK, units=UNITS, reference=some.sampled_from(["RA-1", "RA-2"]))
    def authorise(self, pick, units, reference):
        if case := self.a_case(pick, kind=Claim.Kind.REJECTED):
            request = authorise.AuthoriseRequest(case.pk, D(units), reference, TODAY)
            self.attempt(authorise.authorise, "expediter", request)

    @rule(pick=PICK, units=UNITS, reference=some.sampled_from(["RA-1", "RA-2", "RMA"]))
    def give_back(self, pick, units, reference):
        if case := self.a_case(pick, kind=Claim.Kind.REJECTED):
            request = returns.ReturnRequest(case.pk, D(units), reference, TODAY)
            self.attempt(returns.return_goods, "inspector", request)

    @rule(pick=PICK, units=UNITS)
    def replace(self, pick, units):
        case = self.a_case(pick, kind=Claim.Kind.REJECTED)
        if case is None:
            return
        head = (case.pk, D(units), f"RF-{Authorisation.objects.count()}", TODAY, "replacement")
        said = self.attempt(authorise.authorise, "expediter", authorise.AuthoriseRequest(*head))
        asked = make_good.MakeGoodRequest({said: D(units)} if said else {}, free=True)
        order = self.attempt(make_good.make_good, "expediter", asked)
        for step in (send.check_order, send.send_order) if order else ():
            self.attempt(step, "expediter", send.OrderAct(order))

    @rule(pick=PICK, units=UNITS, back=some.booleans())
    def receive_free(self, pick, units, back):
        free = Instalment.objects.filter(line__replaces__isnull=False, position__isnull=False).select_related("line")
        part = self.one(free, pick)
        if part is None:
            return
        row = ReceiveRow(None, D(units), instalment=part.pk, still_coming=True)
        note = f"F-{Receipt.objects.count()}"
        self.attempt(receive, "dock", ReceiveRequest(None, part.line.order.site_id, note, TODAY, (row,)))
        said = Authorisation.objects.filter(replacements__order_line=part.line_id).first()
        if back and said:
            request = returns.ReturnRequest(said.case_id, D(units), said.reference, TODAY)
            self.attempt(returns.return_goods, "inspector", request)

    @rule(pick=PICK, units=UNITS, way=some.integers(0, 2), off=some.sampled_from([0, 0, 150, 1]))
    def end_units(self, pick, units, way, off):
        if case := self.a_case(pick):
            here = (ways.keep, ways.scrap, ways.find)
            do = (here if case.kind == Claim.Kind.REJECTED else (ways.find, ways.lose, ways.never_supplied))[way]
            request = ways.EndRequest(case.pk, D(units), "so", TODAY, claimed=bool(off), reduced=D(off) / 100)
            self.attempt(do, "inspector", request)

    @rule(pick=PICK, units=UNITS)
    def rework(self, pick, units):
        if case := self.a_case(pick, kind=Claim.Kind.REJECTED):
            self.attempt(ways.rework, "inspector", ways.EndRequest(case.pk, D(units), "mended", TODAY))

    @rule(pick=PICK, units=UNITS)
    def divide(self, pick, units):
        if case := self.a_case(pick, kind=Claim.Kind.REJECTED):
            self.attempt(tend.divide, "expediter", tend.DivideRequest(case.pk, D(units), "another thing"))

    @rule(pick=PICK)
    def join(self, pick):
        if part := self.a_case(pick, part_of__isnull=False):
            self.attempt(tend.join, "expediter", tend.JoinRequest(part.pk, part.part_of_id))

    @rule(pick=PICK, cents=some.integers(1, 4000), into=some.sampled_from(["goods", "claim", "loss"]))
    def cost(self, pick, cents, into):
        if case := self.a_case(pick):
            line = BillLineRequest(D(cents) / 100, case=case.pk, into=into)
            head = (case.company_id, self.world.parties["provider"].pk, f"W-{Bill.objects.count()}", TODAY, "NZD")
            self.attempt(bills.book_bill, "costs", BillRequest(*head, (line,)))

    @rule(pick=PICK, cents=some.integers(1, 900), kind=some.sampled_from(["late", "price"]))
    def claim_money(self, pick, cents, kind):
        if layer := self.one(CostLayer.objects.filter(kind="stock", received__gt=0), pick):
            request = money_cases.MoneyCaseRequest(layer.pk, kind, D(cents) / 100, "so", TODAY)
            self.attempt(money_cases.open_money_case, "expediter", request)

    @rule(pick=PICK)
    def claim_nothing(self, pick):
        if case := self.a_case(pick, quantity=0):
            self.attempt(money_cases.close_money_case, "expediter", ReverseRequest(case.pk, "not so"))

    @rule(pick=PICK, units=UNITS)
    def prepare(self, pick, units):
        if layer := self.one(CostLayer.objects.filter(kind="stock", received__gt=0), pick):
            request = ReturnAllRequest("RB", "so", TODAY, layer=layer.pk, units={layer.pk: D(units)}, prepared=True)
            self.attempt(return_all, "inspector", request)

    @rule(pick=PICK, sent=some.booleans())
    def end_prepared(self, pick, sent):
        waits = GoodsReturn.objects.filter(despatched_at=None, cancelled_at=None)
        if made := self.one(waits, pick):
            if sent:
                self.attempt(despatch_return, "inspector", DespatchRequest(made.pk, TODAY))
            else:
                self.attempt(cancel_return, "inspector", ReverseRequest(made.pk, "not so"))

    @rule(pick=PICK, what=some.integers(0, 2))
    def undo(self, pick, what):
        records, do, who = (
            (Authorisation.objects.all(), authorise.take_back_authorisation, "expediter"),
            (CaseEnd.objects.all(), ways.reverse_way, "inspector"),
            (ReturnNote.objects.all(), returns.reverse_return, "inspector"),
        )[what]
        if found := self.one(records.filter(reversed_by=None).order_by("-pk"), pick):
            self.attempt(do, who, ReverseRequest(found.pk, "not so"))

    @rule(pick=PICK, party=some.sampled_from(["USD", "provider"]))
    def turn(self, pick, party):
        if case := self.a_case(pick):
            request = money.TurnRequest(case.pk, self.world.parties[party].pk, "theirs", TODAY)
            self.attempt(money.turn, "expediter", request)

    @rule(pick=PICK, way=some.integers(0, 2), cents=some.integers(1, 3000), rate=some.sampled_from([None, "1.7033"]))
    def about_money(self, pick, way, cents, rate):
        case = self.a_case(pick)
        if case is None:
            return
        owed = sorted(open_claims([case.pk]).items()) or [((case.pk, case.against_id, "USD"), (D(30), D(0)))]
        (_, party, currency), (left, _) = owed[0]
        do = (money.claim_more, money.claim_paid, money.give_up)[way]
        amount = D(cents) / 100 if way == 0 else min(left, D(cents) / 100)
        request = money.MoneyRequest(case.pk, party, currency, amount, "so", TODAY, rate=rate and D(rate))
        self.attempt(do, "accounts", request)

    @rule(pick=PICK)
    def undo_money(self, pick):
        if found := self.one(ClaimMoney.objects.filter(reversed_by=None).order_by("-pk"), pick):
            self.attempt(money.reverse_money, "accounts", ReverseRequest(found.pk, "not so"))


def case_faults():
    """Cases whose counted units are not those of their acts; each unit has at most one way."""
    stands = Q(reversed_by=None)
    faults = []
    for case in Claim.objects.all():
        ended = sum(
            records.filter(stands, case=case).aggregate(u=Sum("quantity"))["u"] or 0
            for records in (ReturnNote.objects.all(), CaseEnd.objects.all())
        )
        said = Authorisation.objects.filter(stands, case=case).aggregate(u=Sum(F("quantity") - F("returned")))["u"] or 0
        if (case.ended, case.authorised) != (ended, said) or case.quantity < ended + said:
            faults.append(f"case {case.pk}: {case.ended} and {case.authorised}, but {ended} and {said}")
    return faults
