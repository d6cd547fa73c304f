"""The form of the loading surface: containers side by side, quantities in their cells, route and voyages."""

from decimal import Decimal

from django import forms

from northing.actions.shipping.build import BuildRequest, NewVoyage
from northing.actions.shipping.load import MOST_BOXES, Box, LoadRequest
from northing.actions.shipping.pack import ShipmentRequest
from northing.core.planning.loading import TYPES
from northing.masterdata.queries import carriers, forwarders, route_choices
from northing.shipping.models import Shipment, Voyage
from northing.shipping.queries import open_voyages
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.shipping.queries.loading import Column, Row

NEW_VOYAGE = ("vessel", "imo", "number", "carrier", "leaves", "arrives")


class LoadForm(ActionForm):
    """The goods of each container as they should be; of a new shipment also its name and passage."""

    seen = forms.CharField(widget=forms.HiddenInput, max_length=16, required=False)
    document = forms.CharField(label="Document", max_length=40, required=False)
    forwarder = forms.ModelChoiceField(forwarders(), required=False)
    mode = forms.ChoiceField(label="By", choices=Shipment.Mode.choices, required=False)
    route = forms.ChoiceField(required=False)
    voyage = forms.ModelChoiceField(Voyage.objects.none(), required=False, empty_label="no voyage yet")
    then = forms.ModelChoiceField(Voyage.objects.none(), required=False, label="then by", empty_label="no voyage yet")
    begin = DayField(label="or leaving on", required=False)
    # A voyage to be entered with the load.
    vessel = forms.CharField(max_length=60, required=False)
    imo = forms.CharField(label="IMO number", max_length=12, required=False)
    number = forms.CharField(label="Voyage number", max_length=20, required=False)
    carrier = forms.ModelChoiceField(carriers(), required=False)
    leaves = DayField(label="Leaves", required=False)
    arrives = DayField(label="Arrives", required=False)
    beyond = forms.BooleanField(label="Take more than was ordered", required=False)

    def __init__(self, *args, shipment: Shipment | None, **kwargs):
        super().__init__(*args, **kwargs)
        self.shipment = shipment
        self.fields["route"].choices = route_choices()
        for name in ("voyage", "then"):
            self.fields[name].queryset = open_voyages().select_related("carrier").order_by("vessel", "number")
        self.choose_the_only_one("carrier")
        if shipment:
            for name in ("document", "forwarder", "mode"):
                del self.fields[name]

    def columns(self) -> list[Column]:
        """The containers as they were sent."""
        found = []
        for place in range(MOST_BOXES):
            said = {name: self.data.get(f"box-{place}-{name}") for name in ("id", "number", "type", "seal", "gone")}
            if said["type"] is None:
                break
            key = said["id"] or ""
            kind = TYPES.get(said["type"][:4])
            found.append(
                Column(
                    int(key) if key.isascii() and key.isdigit() and len(key) < 18 else None,
                    (said["number"] or "")[:20],
                    said["type"][:4],
                    (said["seal"] or "")[:20],
                    kind.volume if kind else None,
                    kind.payload if kind else None,
                    gone=bool(said["gone"]),
                )
            )
        return found

    def clean(self):
        entered = super().clean()
        self._judge_voyage(entered)
        self.cells: dict[int, dict[int, Decimal]] = {}
        for name in self.data:
            place = _cell_of(name)
            if place:
                self._read(name, *place)
        return entered

    def _read(self, name: str, part: int, box: int) -> None:
        try:
            quantity = ExactField(required=False).clean(self.data[name])
        except forms.ValidationError as error:
            self.cell_says[name] = " ".join(error.messages)
            self.add_error(None, f"{self.data[name][:20]!r}: {' '.join(error.messages)}")
            return
        self.cells.setdefault(box, {})[part] = quantity or Decimal(0)

    @property
    def cell_says(self) -> dict[str, str]:
        """What is wrong with cells, by their name."""
        return self.__dict__.setdefault("_cell_says", {})

    def overlay(self, rows: list[Row], columns: list[Column]) -> None:
        """Put what was typed, and what is wrong with it, over what the database says."""
        for row in rows:
            for place, cell in enumerate(row.cells):
                name = f"cell-{row.part.pk}-{place}"
                cell.typed = self.data.get(name, cell.typed)[:24]
                cell.says = self.cell_says.get(name, "")
        for problem in getattr(self, "refused", []):
            head, _, rest = problem.where.partition("-")
            if head == "cell":
                self._say_cell(rows, problem)
            elif head == "box" and rest.split("-")[0].isdigit() and int(rest.split("-")[0]) < len(columns):
                columns[int(rest.split("-")[0])].says.append(str(problem))

    @staticmethod
    def _say_cell(rows: list[Row], problem) -> None:
        place = _cell_of(problem.where)
        for row in rows:
            if place and row.part.pk == place[0] and place[1] < len(row.cells):
                row.cells[place[1]].says = str(problem)

    def asked(self, columns: list[Column]) -> BuildRequest:
        """The whole as a request."""
        entered = self.cleaned_data
        boxes = tuple(
            Box(
                column.container,
                column.number,
                column.size_type,
                column.seal,
                tuple(self.cells.get(place, {}).items()),
                column.gone,
            )
            for place, column in enumerate(columns)
        )
        opening = None
        if self.shipment is None:
            forwarder = entered["forwarder"]
            opening = ShipmentRequest(
                entered["document"], forwarder.pk if forwarder else None, mode=entered["mode"] or "sea"
            )
        load = LoadRequest(
            self.shipment.pk if self.shipment else 0,
            boxes,
            entered["seen"],
            beyond=bool(entered["beyond"]),
            accept="accept" in self.data,
        )
        voyages = tuple(one.pk for one in (entered["voyage"], entered["then"]) if one)
        return BuildRequest(load, opening, entered["route"], voyages, entered["begin"], self._new_voyage(entered))

    def _judge_voyage(self, entered: dict) -> None:
        for name in NEW_VOYAGE if entered.get("vessel") else ():
            if not entered.get(name) and name not in self.errors:
                self.add_error(name, "A new voyage needs it.")

    @staticmethod
    def _new_voyage(entered: dict) -> NewVoyage | None:
        if not entered["vessel"]:
            return None
        facts = {name: entered[name] for name in NEW_VOYAGE}
        return NewVoyage(**facts | {"carrier": facts["carrier"].pk})


def _cell_of(name: str) -> tuple[int, int] | None:
    """The instalment and the container's place of a cell's name."""
    words = name.split("-")
    if len(words) == 3 and words[0] == "cell" and all(word.isascii() and word.isdigit() for word in words[1:]):
        return (int(words[1]), int(words[2])) if len(words[1]) < 18 and len(words[2]) < 4 else None
    return None
