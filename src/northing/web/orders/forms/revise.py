"""Forms that change an order: its head and lines, the dated parts of a line, stopping and going on."""

from decimal import Decimal

from django import forms

from northing.actions.orders import cancel, revise, set_parts
from northing.actions.orders.write import PERCENTAGES, LineRequest
from northing.core.costing.ownership import INCOTERMS
from northing.core.money.exact import plain
from northing.core.orders.orders import MODES
from northing.drawings.figures import written_price
from northing.orders.models import ADDRESSES, Instalment, OrderLine, PurchaseOrder
from northing.web.common.forms import ActionForm, DayField, DaysField, ExactField
from northing.web.orders.forms.orders import WholeOrderFields
from northing.web.orders.queries.supply import free_parts

HUNDRED = Decimal(100)


class ChangeForm(ActionForm, WholeOrderFields):
    """An order as it is to be: head, and a row for each line."""

    version = forms.IntegerField(widget=forms.HiddenInput)
    incoterm = forms.ChoiceField(label="Incoterms rule", choices=[(code, code) for code in INCOTERMS])
    incoterm_place = forms.CharField(label="Incoterms place", max_length=60, required=False)
    mode = forms.ChoiceField(label="By", choices=[(mode, mode.capitalize()) for mode in MODES])
    reference = forms.CharField(label="Our reference", max_length=60, required=False)
    supplier_reference = forms.CharField(label="Supplier's reference", max_length=60, required=False)
    answer_by = DayField(label="Answer by", required=False)
    remind_days = DaysField(label="Remind, days before it must be ready", required=False)
    remark = forms.CharField(label="Remark to the supplier", max_length=500, required=False)
    terms = ("incoterm", "incoterm_place", "mode", "reference", "supplier_reference")
    terms += ("answer_by", "remind_days", "remark")
    head = (*terms, *PERCENTAGES, *ADDRESSES)

    def __init__(self, *args, order: PurchaseOrder, lines: list[OrderLine], **kwargs):
        initial = {name: getattr(order, name) for name in self.head} | {"version": order.version}
        super().__init__(*args, initial=initial, **kwargs)
        self.lines = lines
        for line in lines:
            price = written_price(line.pack_price, order.currency)
            row = {
                "quantity": ExactField(label=f"Quantity of line {line.number}", initial=plain(line.quantity)),
                "pack_price": ExactField(label=f"Price of line {line.number}", initial=price),
                "discount": ExactField(
                    label=f"Discount % of line {line.number}", initial=plain(line.discount * 100), required=False
                ),
                "need_by": DayField(label=f"Need by of line {line.number}", initial=line.need_by),
            }
            for name, field in row.items():
                field.widget.attrs["aria-label"] = field.label
                field.error_messages["required"] = "Nothing is entered here; it is needed."
                self.fields[f"line-{line.pk}-{name}"] = field

    def head_fields(self):
        """The fields of the head without the addresses, for the template."""
        return [self[name] for name in (*self.terms, *PERCENTAGES)]

    def rows(self):
        """(line, its fields) for the template."""
        for line in self.lines:
            yield line, [self[f"line-{line.pk}-{name}"] for name in ("quantity", "pack_price", "discount", "need_by")]

    def field_of(self, where: str) -> str:
        """A line's problem stands at its quantity."""
        return f"{where}-quantity" if f"{where}-quantity" in self.fields else where

    def asked(self, order: int, added: list[LineRequest]) -> revise.ChangeRequest:
        """The order as it is to be."""
        entered = self.cleaned_data
        lines = tuple(
            revise.LineChange(
                line.pk,
                entered[f"line-{line.pk}-quantity"],
                entered[f"line-{line.pk}-pack_price"],
                (entered[f"line-{line.pk}-discount"] or Decimal(0)) / HUNDRED,
                entered[f"line-{line.pk}-need_by"],
            )
            for line in self.lines
        )
        head = tuple((name, entered[name]) for name in (*self.terms, *ADDRESSES))
        head += tuple((name, entered[name] or Decimal(0)) for name in PERCENTAGES)
        return revise.ChangeRequest(order, entered["version"], head, lines, tuple(added))


class PartsForm(ActionForm):
    """The parts of a line that are not packed yet, each with its day; an empty row more to divide them."""

    version = forms.IntegerField(widget=forms.HiddenInput)

    def __init__(self, *args, parts: list[Instalment], version: int, **kwargs):
        super().__init__(*args, initial={"version": version}, **kwargs)
        self.parts = parts
        for part in parts:
            there = part.position.with_supplier
            # What is packed of a part stays as it is: the rest of it is asked for in a part of its own.
            self._row(str(part.pk), f"part {part.number}", plain(there), part.promise or part.asked_on)
        self._row("new", "a new part", None, None)

    def _row(self, key: str, words: str, quantity, asked_on) -> None:
        self.fields[f"quantity-{key}"] = ExactField(initial=quantity, required=False)
        self.fields[f"asked-{key}"] = DayField(initial=asked_on, required=False)
        self.fields[f"quantity-{key}"].widget.attrs["aria-label"] = f"Quantity of {words}"
        self.fields[f"asked-{key}"].widget.attrs["aria-label"] = f"Ready day of {words}"

    def rows(self):
        """(part or None, its two fields) for the template."""
        for part in [*self.parts, None]:
            key = part.pk if part else "new"
            yield part, self[f"quantity-{key}"], self[f"asked-{key}"]

    def clean(self):
        entered = super().clean()
        for part in [*self.parts, None]:
            key = part.pk if part else "new"
            if entered.get(f"quantity-{key}") and not entered.get(f"asked-{key}"):
                self.add_error(f"asked-{key}", "Enter the day by which it is to be ready.")
        return entered

    def asked(self, line: int) -> set_parts.PartsRequest:
        """The parts as they are to be; one without a quantity is given up."""
        entered, rows = self.cleaned_data, []
        for part in [*self.parts, None]:
            key = part.pk if part else "new"
            if entered.get(f"quantity-{key}"):
                whole = part is not None and part.position.with_supplier == part.quantity
                rows.append(
                    set_parts.PartRequest(
                        part.pk if part is not None and whole else None,
                        entered[f"quantity-{key}"],
                        entered[f"asked-{key}"],
                    )
                )
        return set_parts.PartsRequest(line, entered["version"], tuple(rows))


def parts_form(line: OrderLine, data=None) -> PartsForm:
    """The form of a line's free parts."""
    return PartsForm(data, parts=free_parts(line), version=line.order.version)


class StopForm(ActionForm):
    """Which lines it is about; none picked is refused rather than taken for all."""

    lines = forms.ModelMultipleChoiceField(OrderLine.objects.none(), required=True)

    def __init__(self, *args, order: PurchaseOrder, **kwargs):
        super().__init__(*args, **kwargs)
        self.all = order.lines.count()
        self.fields["lines"].queryset = order.lines.all()
        self.fields["lines"].error_messages["required"] = "No line is picked."

    def asked(self, order: int) -> cancel.StopRequest:
        """All lines picked: the order itself."""
        picked = tuple(line.pk for line in self.cleaned_data["lines"])
        return cancel.StopRequest(order, () if len(picked) == self.all else picked)
