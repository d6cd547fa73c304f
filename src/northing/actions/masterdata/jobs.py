"""The worker's part in files of records."""

from dataclasses import replace

from northing.actions.masterdata import records
from northing.actions.orders import import_file
from northing.jobs.jobs import Run
from northing.masterdata.kinds import KINDS


def keep_rows(run: Run) -> None:
    """Keep the records of a file, whole or not at all."""
    kind = KINDS[run.request["kind"]]
    rows = records.read_file(kind, import_file.folder() / run.request["sha256"])
    records.keep_rows(replace(run.act("rows"), channel="file"), rows)
    run.count(run.job.total)
