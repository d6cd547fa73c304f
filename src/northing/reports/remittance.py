"""The remittance advice of a payment: which bills it pays, for the party that is paid."""

from collections.abc import Mapping

from northing.core.billing.tolerance import bill_number_key
from northing.messaging.mail import File
from northing.messaging.print_pdf import to_pdf
from northing.payments.models import Payment


def remittance_advice(payment: Payment) -> bytes:
    """The advice as a PDF: the party's own bill numbers with their days, amounts and discounts, and the whole."""
    parts = list(payment.parts.select_related("bill", "order").order_by("pk"))
    parts.sort(key=lambda part: (part.bill is None, bill_number_key(part.bill.number) if part.bill else ""))
    return to_pdf("payments/remittance_paper.html", {"payment": payment, "parts": parts})


def remittance_files(payment: int, _said: Mapping[str, str]) -> list[File]:
    """The advice of a payment (id) as the file of a letter."""
    record = Payment.objects.select_related("company", "party", "account").get(pk=payment)
    return [(f"remittance-{record.day:%Y-%m-%d}-{record.pk}.pdf", "application/pdf", remittance_advice(record))]
