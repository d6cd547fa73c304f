"""What the worker does with errands; procrastinate finds this module by its name."""

from procrastinate.contrib.django import app

from northing.jobs import jobs


@app.task(name=jobs.TASK, queue="errands")
def errand(errand: int) -> None:
    """One errand. A run that was cut off is begun again and goes on where it was."""
    jobs.run(errand)
