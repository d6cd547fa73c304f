"""The form of goods that arrive from another site: a row for each line that is still on its way."""

from collections.abc import Iterator, Sequence

from django import forms

from northing.actions.inventory.transfer import ArrivedRow, ArriveRequest
from northing.core.money.exact import plain
from northing.inventory.models import Transfer, TransferLine
from northing.masterdata.models import Bin
from northing.web.common.forms import ActionForm, ExactField
from northing.web.common.serials import SerialsField


class ArriveForm(ActionForm):
    """Units of a transfer that arrived, and their bins. Sent with `back`, they came back into the bins they left."""

    def __init__(self, data, *, transfer: Transfer, lines: Sequence[TransferLine], **kwargs):
        super().__init__(data, **kwargs)
        self.transfer, self.lines = transfer, lines
        found = Bin.objects.filter(site=transfer.target_id, blocked="").order_by("code")
        bins = [("", "dock"), *((str(one.pk), one.code) for one in found)]
        for line in lines:
            code = line.layer.item.code
            arrived = ExactField(required=False, label=f"Arrived of {code}", initial=plain(line.left))
            self.fields[f"quantity-{line.pk}"] = arrived
            self.fields[f"bin-{line.pk}"] = forms.ChoiceField(choices=bins, required=False, label=f"Bin for {code}")
            if line.layer.item.keeps_serial:
                self.fields[f"serials-{line.pk}"] = SerialsField(required=False, label=f"Serial numbers of {code}")

    def rows(self) -> Iterator[tuple[TransferLine, dict]]:
        """Each line with its fields by name, for the template."""
        names = ("quantity", "bin", "serials")
        for line in self.lines:
            yield line, {name: self[f"{name}-{line.pk}"] for name in names if f"{name}-{line.pk}" in self.fields}

    @property
    def numbered(self) -> bool:
        """Whether any of the goods have serial numbers."""
        return any(line.layer.item.keeps_serial for line in self.lines)

    def asked(self) -> ArriveRequest:
        """What arrived, as a request."""
        said = self.cleaned_data
        rows = tuple(
            ArrivedRow(
                line.pk,
                said[f"quantity-{line.pk}"],
                int(said[f"bin-{line.pk}"]) if said[f"bin-{line.pk}"] else None,
                said.get(f"serials-{line.pk}") or (),
            )
            for line in self.lines
            if said[f"quantity-{line.pk}"] is not None
        )
        return ArriveRequest(self.transfer.pk, rows, back="back" in self.data)
