"""Answers that are files."""

from django.http import HttpResponse

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
TYPES = {"pdf": "application/pdf", "xml": "application/xml", "xlsx": XLSX}


def file_answer(content: bytes, name: str) -> HttpResponse:
    """A file by its name: a PDF is shown in the browser, anything else is saved."""
    ending = name.rpartition(".")[2]
    place = "inline" if ending == "pdf" else "attachment"
    return HttpResponse(
        content, content_type=TYPES[ending], headers={"Content-Disposition": f'{place}; filename="{name}"'}
    )
