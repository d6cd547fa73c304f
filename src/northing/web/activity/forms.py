"""Forms of remarks and documents."""

from django import forms

from northing.web.common.forms import DeedForm


class RemarkForm(DeedForm):
    """A remark in the story."""

    words = forms.CharField(label="Remark", max_length=500)
    shared = forms.BooleanField(label="The supplier may read it", required=False)


class DocumentForm(DeedForm):
    """A document for a record."""

    file = forms.FileField(label="File")
    shared = forms.BooleanField(label="The supplier may see it", required=False)
