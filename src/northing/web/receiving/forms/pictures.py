"""Pictures that are taken at the dock, and kept with the receipt."""

from django import forms

from northing.access.acts import Act
from northing.actions.activity.remarks import DocumentRequest, add_document
from northing.activity.documents import LARGEST, PICTURES, media_type

MOST, TOGETHER = 12, 40_000_000


class PicturesInput(forms.FileInput):
    """Several files at once; a phone offers its camera."""

    allow_multiple_selected = True


class PicturesField(forms.FileField):
    """Up to a dozen pictures; cleaned to (name, content) of each."""

    def __init__(self):
        box = PicturesInput({"accept": "image/png,image/jpeg,image/gif", "multiple": True})
        super().__init__(required=False, label="Pictures", widget=box)

    def clean(self, data, initial=None) -> tuple[tuple[str, bytes], ...]:
        """The pictures; whatever is none, or too large, is named."""
        files = list(data or [])
        if len(files) > MOST:
            raise forms.ValidationError(f"At most {MOST} pictures go with a receipt; attach the others to it.")
        if sum(one.size for one in files) > TOGETHER:
            raise forms.ValidationError(f"The pictures are larger than {TOGETHER // 1_000_000} MB together.")
        return tuple(self._picture(super(PicturesField, self).clean(one, initial)) for one in files)

    def _picture(self, file) -> tuple[str, bytes]:
        content = file.read(LARGEST + 1)
        if len(content) > LARGEST:
            raise forms.ValidationError(f"{file.name} is larger than {LARGEST // 1_000_000} MB.")
        if media_type(content, file.name) not in PICTURES:
            raise forms.ValidationError(f"{file.name} is no picture (JPEG, PNG or GIF).")
        return file.name, content


def keep_pictures(act: Act, receipt: int, pictures: tuple[tuple[str, bytes], ...]) -> None:
    """The pictures as documents of the receipt (id). Each has a key of its own: sent again they are there once."""
    for number, (name, content) in enumerate(pictures, 1):
        own = Act(act.person, act.at, f"{act.key[:200]}-picture-{number}", act.channel)
        add_document(own, DocumentRequest(receipt, name, content, "receipt"))
