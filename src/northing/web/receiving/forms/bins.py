"""The bin of a counted row: chosen from a short list, or typed or scanned where a site has many."""

from collections.abc import Mapping

from django import forms

# More would make a page of many rows heavy, and a list that nobody looks through.
MOST_CHOICES = 40


class TypedBin(forms.CharField):
    """A bin by its code; cleaned to its id as text, as a choice is."""

    def __init__(self, codes: Mapping[str, str], *, usual: str, **kwargs):
        box = forms.TextInput({"autocomplete": "off", "placeholder": usual, "list": "bins", "size": 9})
        super().__init__(max_length=40, required=False, widget=box, **kwargs)
        self.codes = codes

    def prepare_value(self, value):
        """The code of a bin that is proposed by its id; what was typed stays."""
        return next((code for code, key in self.codes.items() if key == value), value) if value else value

    def clean(self, value) -> str:
        """The id; the code of none is said."""
        code = super().clean(value)
        found = self.codes.get(code.upper(), "") if code else ""
        if code and not found:
            raise forms.ValidationError(f"{code} is no bin of this site. Scan its label, or leave it empty.")
        return found


def bin_field(bins: list[tuple[str, str]], *, usual: str, label: str, initial: str) -> forms.Field:
    """The field of a row's bin; `bins` are (id, code) of the site, `usual` is the kind it goes into if none is said."""
    if len(bins) > MOST_CHOICES:
        codes = {code.upper(): key for key, code in bins}
        return TypedBin(codes, usual=usual, label=label, initial=initial)
    return forms.ChoiceField(choices=[("", usual), *bins], required=False, label=label, initial=initial)
