"""The worker's part in letters and webhooks; procrastinate finds this module by its name."""

from procrastinate.contrib.django import app

from northing.messaging import mail, webhooks
from northing.messaging.retries import Pauses


@app.task(name=mail.TASK, queue="letters", retry=Pauses(mail.PAUSES))
def letter(message: int) -> None:
    """One letter."""
    mail.send(message)


@app.task(name=webhooks.TASK, queue="hooks", retry=Pauses(webhooks.PAUSES))
def delivery(delivery: int) -> None:
    """One notice to one address."""
    webhooks.send(delivery)
