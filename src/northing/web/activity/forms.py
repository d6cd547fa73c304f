"""Forms of remarks and documents."""

from django import forms

from northing.web.common.forms import ActionForm


class RemarkForm(ActionForm):
    """A remark in the story."""

    words = forms.CharField(label="Remark", max_length=500)
    shared = forms.BooleanField(label="The supplier may read it", required=False)


class DocumentForm(ActionForm):
    """A document for a record."""

    file = forms.FileField(label="File")
    shared = forms.BooleanField(label="The supplier may see it", required=False)
