"""The papers that come with a bill or a credit note: a picture or PDF, and the file that it was read from."""

from contextlib import suppress

from django.contrib import messages
from django.core import signing
from django.core.files.uploadedfile import UploadedFile

from northing.actions.activity import remarks
from northing.activity.documents import LARGEST, set_aside, where
from northing.core.problems import Refused
from northing.web.billing.forms.goods import CAME
from northing.web.common.forms import ActionForm, act_of


def put_by(file: UploadedFile) -> str:
    """Set a file aside until what it says is booked; the form carries this, signed, so that it is no other."""
    file.seek(0)
    return signing.dumps([set_aside(file.read()), (file.name or "")[-120:]], salt=CAME)


def attach(request, form: ActionForm, bill: int) -> None:
    """The paper that came along, and the file that the bill (id) was read from, are kept with it."""
    for number, (name, content) in enumerate(_papers(form)):
        asked = remarks.DocumentRequest(bill, name, content, kind="bill")
        try:
            remarks.add_document(act_of(request, f"{form.cleaned_data['key'][:38]}d{number}"), asked)
        except Refused as refused:
            messages.warning(request, f"It is booked; its paper is not kept. {refused}")


def _papers(form: ActionForm) -> list[tuple[str, bytes]]:
    found = []
    if file := form.cleaned_data.get("document"):
        found.append((file.name, file.read(LARGEST + 1)))
    if came := form.cleaned_data.get("came"):
        with suppress(signing.BadSignature, OSError):
            digest, name = signing.loads(came, salt=CAME)
            found.append((name, where(digest).read_bytes()))
    return found
