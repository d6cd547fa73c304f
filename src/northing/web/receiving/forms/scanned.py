"""The list of scans of a form: one on a line, and how many times it stands there."""

import re

from django import forms

from northing.actions.receiving.scans import MOST, Scanned

MOST_SCANS = 500
# `(01)09521000000001(37)6 *9`: nine identical pallets.
TIMES = re.compile(r"(.*?\S)(?:\s*[*×]|\s+x)\s*(\d{1,4})$", re.IGNORECASE)


class ScansField(forms.CharField):
    """Scans, one on a line; ` *9` behind it says that nine identical ones stand there. Its value is a list."""

    widget = forms.Textarea({"rows": 1, "autocomplete": "off", "spellcheck": "false", "class": "scans"})

    def __init__(self, **kwargs):
        help_text = "A scanner is heard wherever the cursor is. *9 or x 9 behind a label: nine identical pallets."
        super().__init__(label="Scans", required=False, strip=False, max_length=100_000, help_text=help_text, **kwargs)

    def to_python(self, value) -> list[Scanned]:
        lines = [line for line in (super().to_python(value) or "").replace("\r", "").split("\n") if line.strip()]
        if len(lines) > MOST_SCANS:
            raise forms.ValidationError(f"At most {MOST_SCANS} scans in one receipt. Save these first.")
        return [_scanned(line) for line in lines]


def _scanned(line: str) -> Scanned:
    told = TIMES.match(line.rstrip(" "))
    if told is None:
        return Scanned(line)
    return Scanned(told[1], min(int(told[2]), MOST + 1))
