"""The worker's part in files of carriers' events."""

from dataclasses import replace

from northing.actions.orders import import_file
from northing.actions.shipping import carrier_events
from northing.core.problems import Refused
from northing.jobs.jobs import Named, Run


def hear_events(run: Run) -> None:
    """Take in a file of events, a batch at a time; a batch that was taken in before a stop is known, and left alone."""
    content = (import_file.folder() / run.request["sha256"]).read_bytes()
    for number, batch in enumerate(carrier_events.in_batches(content)):
        asked = carrier_events.EventsRequest(run.request["source"], batch)
        heard = carrier_events.hear(replace(run.act(f"batch-{number}"), channel="file"), asked)
        for wrong in heard["wrong"]:
            run.refuse(Named(f"EventBatch {number + 1}"), Refused(wrong))
        run.count(min((number + 1) * carrier_events.BATCH, run.job.total))
