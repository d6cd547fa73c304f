"""What the worker does with errands; procrastinate finds this module by its name."""

from procrastinate.contrib.django import app

from northing.papers import errands, mailing


@app.task(name=errands.TASK, queue="errands")
def errand(errand: int) -> None:
    """One errand. A run that was cut off is begun again and goes on where it was."""
    errands.run(errand)


@app.task(name=mailing.TASK, queue="letters")
def letter(message: int) -> None:
    """One letter; it queues itself again when the post does not take it now."""
    mailing.send(message)
