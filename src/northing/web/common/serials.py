"""Serial numbers in forms: typed, scanned, or counted from the first to the last."""

from django import forms

from northing.core.receiving.serials import NotSerials, read_serials
from northing.web.common.forms import ActionForm


class SerialsField(forms.CharField):
    """Serial numbers; its value is a tuple of them."""

    widget = forms.TextInput(attrs={"autocomplete": "off", "placeholder": "KT-098..KT-101"})

    def to_python(self, value):
        try:
            return read_serials(super().to_python(value) or "")
        except NotSerials as wrong:
            raise forms.ValidationError(str(wrong)) from None


class NumberedForm(ActionForm):
    """A form about units of an item; where it keeps no serial numbers, none are asked for."""

    serials = SerialsField(required=False, label="Serial numbers")
    numbers = ""

    def __init__(self, *args, numbered: bool = False, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["serials"].help_text = self.numbers
        if not numbered:
            del self.fields["serials"]

    @property
    def said_serials(self) -> tuple[str, ...]:
        """The serial numbers that were entered."""
        return self.cleaned_data.get("serials") or ()
