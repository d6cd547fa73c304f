"""The form of a supplier's answer."""

from django import forms
from django.utils import timezone

from northing.actions.confirmations.answers import AnswerRow, AnswersRequest
from northing.core.money.exact import plain
from northing.drawings.figures import written_price
from northing.web.common.forms import ActionForm, DayField, ExactField


class AnswersForm(ActionForm):
    """The supplier's answer, a row of fields for each instalment; of goods on their way only whether they are so."""

    reference = forms.CharField(label="Their reference", max_length=60, required=False)
    answered_on = DayField(label="Answered on")

    def __init__(self, *args, parts, **kwargs):
        super().__init__(*args, **kwargs)
        self.parts = parts
        for part in parts:
            self.fields[f"take-{part.pk}"] = forms.BooleanField(required=False, initial=True, label="Answered")
            price = written_price(part.pack_price, part.line.order.currency)
            self.fields[f"quantity-{part.pk}"] = ExactField(label="Quantity of", initial=plain(part.quantity))
            self.fields[f"ready-{part.pk}"] = DayField(label="Ready on, of", initial=part.promise or part.asked_on)
            self.fields[f"price-{part.pk}"] = ExactField(label="Price of", initial=price)
            if part.position.with_supplier < part.quantity:
                for name in ("quantity", "ready", "price"):
                    self.fields[f"{name}-{part.pk}"].widget.attrs["readonly"] = True

    @classmethod
    def as_asked(cls, key: str, parts) -> "AnswersForm":
        """As it is sent where nothing is changed in it: they agree to all, today."""
        first = cls(parts=parts).fields.items()
        said = {name: field.initial for name, field in first if field.initial is not None}
        return cls(said | {"key": key, "answered_on": timezone.localdate()}, parts=parts)

    def rows(self):
        """(instalment, its fields) for the template."""
        for part in self.parts:
            yield part, [self[f"{name}-{part.pk}"] for name in ("take", "quantity", "ready", "price")]

    def asked(self, order: int) -> AnswersRequest:
        """The answer as a request."""
        entered = self.cleaned_data
        rows = tuple(
            AnswerRow(part.pk, entered[f"quantity-{part.pk}"], entered[f"ready-{part.pk}"], entered[f"price-{part.pk}"])
            for part in self.parts
            if entered[f"take-{part.pk}"]
        )
        return AnswersRequest(order, entered["reference"], entered["answered_on"], rows)
