"""Send the remittance advice of a payment to its party, by mail."""

from dataclasses import dataclass

from django.template.loader import render_to_string

from northing.access.acts import Act
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, Refused
from northing.drawings.figures import money
from northing.messaging import mail
from northing.payments.models import Payment


@dataclass(frozen=True)
class AdviseRequest:
    """A payment (its id)."""

    payment: int


@once
def send_remittance(act: Act, request: AdviseRequest) -> int:
    """Mail the advice with its PDF. Returns the payment's id."""
    payment = Payment.objects.select_related("company", "party").get(pk=request.payment)
    act.require("pay", payment.company_id)
    if payment.reversed_by_id:
        raise Refused(Problem("The payment is reversed.", mend="Reload the page."))
    if not payment.party.email:
        what = f"{payment.party} has no mail address."
        raise Refused(Problem(what, mend="Enter it in its record.", record=("party", payment.party_id)))
    paid = payment.amount - payment.withheld
    what = f"paid {payment.currency} {money(paid, payment.currency)}" if paid > 0 else "settled what is below"
    body = render_to_string("letters/remittance.txt", {"payment": payment, "person": act.person, "what": what})
    subject = f"Payment of {payment.day:%-d %b %Y}"
    files = [("remittance", payment.pk)]
    draft = mail.Draft("remittance", payment.party.email, subject, body, payment.company_id, payment.party_id, files)
    mail.write(act, draft)
    text = f"Sent the remittance advice to {payment.party.email}"
    add_history(act, "send_remittance", text, [("payment", payment.pk, payment.company_id)])
    return payment.pk
