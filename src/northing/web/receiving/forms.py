"""Forms of the dock, quality and stock."""

from django import forms

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow
from northing.actions.receiving.reverse import ReverseRequest
from northing.masterdata.models import Bin
from northing.web.common.forms import ActionForm, DayField, ExactField

STILL, NO_MORE = "still", "no_more"


class ReceiveForm(ActionForm):
    """What was found of each part of a container, for one company's site."""

    delivery_note = forms.CharField(max_length=40, label="Delivery note")
    occurred_on = DayField(label="Received on")

    def __init__(self, *args, parts, site, **kwargs):
        super().__init__(*args, **kwargs)
        self.parts, self.site = parts, site
        bins = [(str(one.pk), one.code) for one in Bin.objects.filter(site=site)]  # read once, for every row
        for part in parts:
            item, label = part.instalment.line.item, f"of {part.instalment.line.item.code}"
            self.fields[f"row-{part.pk}"] = ExactField(required=False, label=f"Found {label}")
            self.fields[f"short-{part.pk}"] = forms.ChoiceField(
                choices=[("", "–"), (STILL, "still coming"), (NO_MORE, "no more coming")],
                required=False,
                label=f"If {item.code} is short",
            )
            if item.keeps_lot:
                self.fields[f"lot-{part.pk}"] = forms.CharField(max_length=40, required=False, label=f"Lot {label}")
            if item.keeps_best_before:
                self.fields[f"best-{part.pk}"] = DayField(required=False, label=f"Best before {label}")
            usual = ("", "quarantine" if item.inspected else "store")
            self.fields[f"bin-{part.pk}"] = forms.ChoiceField(
                choices=[usual, *bins], required=False, label=f"Bin {label}"
            )

    def rows(self):
        """(part, found, short, lot, best-before, bin) for the template; None where not kept."""
        for part in self.parts:
            names = [f"{name}-{part.pk}" for name in ("row", "short", "lot", "best", "bin")]
            yield part, *(self[name] if name in self.fields else None for name in names)

    def asked(self, container: int) -> ReceiveRequest:
        """The receipt as a request; parts with nothing entered were not counted."""
        entered = self.cleaned_data
        rows = tuple(
            ReceiveRow(
                shipment_line=part.pk,
                quantity=entered[f"row-{part.pk}"],
                still_coming={STILL: True, NO_MORE: False}.get(entered[f"short-{part.pk}"]),
                lot=entered.get(f"lot-{part.pk}") or "",
                best_before=entered.get(f"best-{part.pk}"),
                bin=int(entered[f"bin-{part.pk}"]) if entered[f"bin-{part.pk}"] else None,
            )
            for part in self.parts
            if entered[f"row-{part.pk}"] is not None
        )
        return ReceiveRequest(container, self.site.pk, entered["delivery_note"], entered["occurred_on"], rows)


class ReverseForm(ActionForm):
    """Why a receipt is undone."""

    reason = forms.CharField(max_length=120, label="Why")

    def asked(self, receipt: int) -> ReverseRequest:
        """The reversal as a request."""
        return ReverseRequest(receipt, self.cleaned_data["reason"])
