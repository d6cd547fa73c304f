"""The worker's part in letters; procrastinate finds this module by its name."""

from procrastinate.contrib.django import app

from northing.messaging import mail


@app.task(name=mail.TASK, queue="letters")
def letter(message: int) -> None:
    """One letter; it queues itself again when the post does not take it now."""
    mail.send(message)
