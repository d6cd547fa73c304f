"""The worker's part in payments: very many bills at once."""

from datetime import date

from northing.actions.payments.pay_many import PayManyRequest, pay_many
from northing.jobs.jobs import Run


def pay_bills(run: Run) -> None:
    """Pay bills as `pay_many` does: all of them, or none; a second run finds them paid by the first."""
    asked = run.request
    request = PayManyRequest(tuple(asked["bills"]), date.fromisoformat(asked["day"]), asked["take_discounts"])
    made = pay_many(run.act("pay"), request)
    run.job.said = f"Payments made: {len(made['made'])}; asked of a second person: {len(made['asked'])}."
    run.count(run.job.total)
