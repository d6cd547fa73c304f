"""The worker's tasks of jobs; procrastinate finds this module by its name."""

from procrastinate.contrib.django import app

from northing.jobs import jobs


@app.task(name=jobs.TASK, queue="files")
def job(job: int) -> None:
    """One job. A run that was cut off is begun again and goes on where it was."""
    jobs.run(job)
