"""A job while it runs, and the file it made."""

from pathlib import Path

from django.conf import settings
from django.http import Http404, JsonResponse
from django.shortcuts import get_object_or_404, render

from northing.jobs.models import Job
from northing.web.common.permissions import open_page
from northing.web.orders.views.lines import saved_file


@open_page
def job(request, job_id: int):
    """How far an job is; survives a reload, and a restart of the worker."""
    record = get_object_or_404(Job, pk=job_id, person=request.user)
    if request.GET.get("as") == "json":
        refused = len(record.refused)
        return JsonResponse({"done": record.done, "total": record.total, "over": record.is_over, "refused": refused})
    return render(request, "jobs/job.html", {"job": record})


@open_page
def job_file(request, job_id: int):
    """The file that an job made, for the person whose job it was."""
    record = get_object_or_404(Job, pk=job_id, person=request.user, state=Job.State.DONE)
    path = Path(settings.FILES) / record.file
    if not record.file or not path.exists():
        raise Http404
    return saved_file(path, f"northing-{record.pk}{path.suffix}")
