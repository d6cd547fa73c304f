"""Taking what rate cards say of a shipment as estimates, all kinds at once."""

from collections.abc import Sequence
from dataclasses import dataclass

from northing.access.acts import Act
from northing.actions.costing.charges import ChargeRequest, estimate
from northing.activity.operations import once
from northing.core.problems import Problem, Refused
from northing.reports.cost_pieces import parts_of_shipments, pieces_of
from northing.reports.expected_cost import Expectations
from northing.reports.expected_pieces import CardCost, Piece
from northing.shipping import operations as shipping


@dataclass(frozen=True)
class CardsRequest:
    """A shipment (id) whose costs a company (id) is to be billed."""

    shipment: int
    company: int


@once
def take_cards(act: Act, request: CardsRequest) -> list[int]:
    """Enter an estimate for each kind of cost that only cards say. Returns their ids."""
    act.require("estimate_charge", request.company)
    shipping.lock([request.shipment])
    pieces = pieces_of(parts_of_shipments([request.shipment]), act.today).all
    own = {place for place, piece in enumerate(pieces) if piece.company.pk == request.company}
    if not own:
        raise Refused(Problem("The company has no goods in this shipment.", "company"))
    cards = [one for one in Expectations(act.today).of(pieces).cards if own & set(one.places)]
    if not cards:
        what = "Every cost that a card says is estimated or billed already."
        raise Refused(Problem(what, mend="Enter a further cost by hand."))
    return [estimate(act, _asked(act, request, one, pieces)) for one in cards]


def _asked(act: Act, request: CardsRequest, one: CardCost, pieces: Sequence[Piece]) -> ChargeRequest:
    card, some = one.estimate.card, [pieces[place] for place in one.places]
    boxes = {piece.container.pk for piece in some if piece.container}
    inside = [piece for piece in pieces if piece.container and piece.container.pk in boxes]
    lines = () if len(inside) == len(some) else tuple(sorted({piece.line.pk for piece in some}))
    whole = len(inside) == len(pieces)
    return ChargeRequest(
        company=request.company,
        payee=card.payee,
        kind=card.kind,
        basis=one.basis or "value",
        currency=card.currency,
        amount=one.estimate.amount,
        day=act.today,
        shipments=(request.shipment,) if whole else (),
        containers=() if whole else tuple(sorted(boxes)),
        lines=lines,
        remark=one.estimate.because[:120],
    )
