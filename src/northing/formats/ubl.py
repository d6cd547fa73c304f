"""UBL 2.1 (ISO/IEC 19845): the Order we send and take in, the OrderResponse that suppliers answer with."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from lxml import etree

from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.formats.ubl_parts import SPACES, UNITS, read_xml
from northing.formats.ubl_parts import address_lines as _address_lines
from northing.formats.ubl_parts import amount as _amount
from northing.formats.ubl_parts import found as _found
from northing.formats.ubl_parts import number as _number
from northing.formats.ubl_parts import part as _part
from northing.formats.ubl_parts import party as _party
from northing.formats.ubl_parts import quantity as _quantity
from northing.formats.ubl_parts import text as _text

ORDER = "urn:oasis:names:specification:ubl:schema:xsd:Order-2"
RESPONSE = "urn:oasis:names:specification:ubl:schema:xsd:OrderResponse-2"


def order_xml(order: Mapping[str, Any], number: int, issued_on: date) -> bytes:
    """A revision's content as a UBL Order; quantities in base units, prices per pack with their base quantity."""
    root = etree.Element(f"{{{ORDER}}}Order", nsmap={None: ORDER, **SPACES})
    _text(root, "UBLVersionID", "2.1")
    _text(root, "ID", order["number"])
    _text(root, "IssueDate", issued_on.isoformat())
    for remark in (order.get("remark"), f"Revision {number}" if number > 1 else ""):
        if remark:
            _text(root, "Note", remark)
    _text(root, "DocumentCurrencyCode", order["currency"])
    if order.get("reference"):
        _text(root, "CustomerReference", order["reference"])
    _text(root, "LineCountNumeric", str(len(order["lines"])))
    company = order["company"]
    _party(root, "BuyerCustomerParty", company["name"], "", company["country"])
    seller = (order["supplier"], order["supplier_city"], order["supplier_country"])
    _party(root, "SellerSupplierParty", *seller, order.get("order_to", ""))
    if order.get("invoice_to"):
        _party(root, "AccountingCustomerParty", company["name"], "", company["country"], order["invoice_to"])
    delivery = _part(root, "Delivery")
    if order.get("deliver_to"):
        _address_lines(_part(_part(delivery, "DeliveryLocation"), "Address"), order["deliver_to"])
    _text(_part(delivery, "RequestedDeliveryPeriod"), "EndDate", order["need_by"])
    if order.get("despatch_from"):
        _address_lines(_part(_part(delivery, "Despatch"), "DespatchAddress"), order["despatch_from"])
    if order["incoterms"]:
        _text(_part(root, "DeliveryTerms"), "ID", order["incoterms"])
    _sums(root, order)
    for line in order["lines"]:
        _order_line(root, line, order["currency"])
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _sums(root: "etree._Element", order: Mapping[str, Any]) -> None:
    """The totals of the order: allowance and charge on the whole, tax, and the sums they lead to."""
    currency = order["currency"]
    goods = sum((Decimal(line["amount"]) for line in order["lines"]), Decimal(0))
    # Revisions of before there were such percentages have no sums of their own.
    kept = order.get("sums") or dict.fromkeys(("total", "to_pay"), str(goods))
    sums = {name: Decimal(value) for name, value in kept.items()}
    for name, indicator, base in (("discount", "false", goods), ("surcharge", "true", goods - sums.get("discount", 0))):
        if sums.get(name):
            made = _part(root, "AllowanceCharge")
            _text(made, "ChargeIndicator", indicator)
            _text(made, "AllowanceChargeReason", name)
            _text(made, "MultiplierFactorNumeric", plain(Decimal(order[name])))
            _amount(made, "Amount", sums[name], currency)
            _amount(made, "BaseAmount", base, currency)
    if sums.get("tax"):
        tax = _part(root, "TaxTotal")
        _amount(tax, "TaxAmount", sums["tax"], currency)
        part = _part(tax, "TaxSubtotal")
        _amount(part, "TaxableAmount", sums["total"], currency)
        _amount(part, "TaxAmount", sums["tax"], currency)
        _text(part, "Percent", plain(Decimal(order["tax_rate"]) * 100))
        _text(_part(_part(part, "TaxCategory"), "TaxScheme"), "ID", "VAT")
    totals = _part(root, "AnticipatedMonetaryTotal")
    _amount(totals, "LineExtensionAmount", goods, currency)
    _amount(totals, "TaxExclusiveAmount", sums["total"], currency)
    _amount(totals, "TaxInclusiveAmount", sums["to_pay"], currency)
    if sums.get("discount"):
        _amount(totals, "AllowanceTotalAmount", sums["discount"], currency)
    if sums.get("surcharge"):
        _amount(totals, "ChargeTotalAmount", sums["surcharge"], currency)
    _amount(totals, "PayableAmount", sums["to_pay"], currency)


def _order_line(root: "etree._Element", line: Mapping[str, Any], currency: str) -> None:
    item = _part(_part(root, "OrderLine"), "LineItem")
    _text(item, "ID", str(line["number"]))
    unit = UNITS.get(line["unit"], "ZZ")
    _quantity(item, "Quantity", line["quantity"], unit)
    _amount(item, "LineExtensionAmount", Decimal(line["amount"]), currency)
    for part in line["parts"]:
        delivery = _part(item, "Delivery")
        _quantity(delivery, "Quantity", part["quantity"], unit)
        _text(_part(delivery, "RequestedDeliveryPeriod"), "EndDate", part["ready_on"])
    if Decimal(line["discount"]):
        allowance = _part(item, "AllowanceCharge")
        _text(allowance, "ChargeIndicator", "false")
        _text(allowance, "MultiplierFactorNumeric", plain(Decimal(line["discount"])))
        gross = Decimal(line["quantity"]) / Decimal(line["pack_factor"]) * Decimal(line["pack_price"])
        _amount(allowance, "Amount", gross - Decimal(line["amount"]), currency)
    price = _part(item, "Price")
    _text(price, "PriceAmount", plain(Decimal(line["pack_price"]))).set("currencyID", currency)
    _quantity(price, "BaseQuantity", line["pack_factor"], unit)
    what = _part(item, "Item")
    _text(what, "Description", line["description"])
    _text(what, "Name", line["item"])
    _text(_part(what, "BuyersItemIdentification"), "ID", line["item"])
    if line["supplier_code"]:
        _text(_part(what, "SellersItemIdentification"), "ID", line["supplier_code"])


@dataclass(frozen=True, slots=True)
class ResponseLine:
    """A supplier's answer to one line: None where they say nothing of it."""

    number: int
    accepted: bool
    parts: tuple[tuple[Decimal, date | None], ...]
    price: Decimal | None
    remark: str


@dataclass(frozen=True, slots=True)
class Response:
    """A supplier's OrderResponse: to which order, their reference, line by line."""

    order: str
    reference: str
    lines: tuple[ResponseLine, ...]


def read_order(content: bytes) -> list[dict[str, str]]:
    """The lines of a UBL Order as cells of an order file; quantities in base units. Raises Refused."""
    root = read_xml(content)
    if root.tag != f"{{{ORDER}}}Order":
        raise Refused(Problem("The file is not a UBL Order.", "file", "Export one, or send CSV or XLSX."))
    head = {
        "order": _found(root, "cbc:ID"),
        "currency": _found(root, "cbc:DocumentCurrencyCode"),
        "reference": _found(root, "cbc:CustomerReference"),
        "remark": _found(root, "cbc:Note"),
        "supplier": _name_of(root, "SellerSupplierParty"),
        "company": _name_of(root, "BuyerCustomerParty"),
    }
    head["order_discount"] = _percent_of(root, "false", "the order")
    head["surcharge"] = _percent_of(root, "true", "the order")
    head["tax"] = _found(root, "cac:TaxTotal/cac:TaxSubtotal/cbc:Percent")
    head |= {name: _lines_of(root, path) for name, path in ADDRESSES.items()}
    terms = _found(root, "cac:DeliveryTerms/cbc:ID")
    if terms:
        head["incoterm"], _, head["incoterm_place"] = terms.partition(" ")
    whole = _found(root, "cac:Delivery/cac:RequestedDeliveryPeriod/cbc:EndDate")
    lines = root.iterfind("cac:OrderLine/cac:LineItem", SPACES)
    found = [head | _order_cells(line, whole) for line in lines]
    if not found:
        raise Refused(Problem("The order has no line.", "file"))
    return found


ADDRESSES = {
    "order_to": "cac:SellerSupplierParty/cac:Party/cac:PostalAddress",
    "invoice_to": "cac:AccountingCustomerParty/cac:Party/cac:PostalAddress",
    "deliver_to": "cac:Delivery/cac:DeliveryLocation/cac:Address",
    "despatch_from": "cac:Delivery/cac:Despatch/cac:DespatchAddress",
}


def _lines_of(root: "etree._Element", path: str) -> str:
    found = root.iterfind(f"{path}/cac:AddressLine/cbc:Line", SPACES)
    return "\n".join(line.text.strip() for line in found if line.text)


def _percent_of(node: "etree._Element", indicator: str, where: str) -> str:
    """The allowance (false) or charge (true) of a line or an order, in per cent. Raises Refused.

    An amount alone is not guessed at: it would be another amount on every changed order.
    """
    found = node.iterfind("cac:AllowanceCharge", SPACES)
    said = [one for one in found if _found(one, "cbc:ChargeIndicator") == indicator]
    if not said:
        return ""
    factor = _number(said[0], "cbc:MultiplierFactorNumeric", where)
    if len(said) > 1 or factor is None:
        what = f"{where}: a discount or surcharge has to be one percentage, as a MultiplierFactorNumeric."
        raise Refused(Problem(what, "file", "An amount alone is a charge: enter it under Costs."))
    return plain(factor * 100)


def _name_of(root: "etree._Element", role: str) -> str:
    party = f"cac:{role}/cac:Party/"
    return _found(root, f"{party}cac:PartyIdentification/cbc:ID") or _found(root, f"{party}cac:PartyName/cbc:Name")


def _order_cells(line: "etree._Element", need_by: str) -> dict[str, str]:
    number = _found(line, "cbc:ID")
    where, item = f"line {number[:20]}", "cac:Item/cac:"
    codes = [f"{item}{kind}Identification/cbc:ID" for kind in ("BuyersItem", "StandardItem")]
    price, base = _number(line, "cac:Price/cbc:PriceAmount", where), _number(line, "cac:Price/cbc:BaseQuantity", where)
    if _percent_of(line, "true", where):
        what = f"{where}: a surcharge on a line is not kept."
        raise Refused(Problem(what, "file", "Put it into the price, or on the whole order."))
    return {
        "line": number if number.isascii() and number.isdigit() else "",
        "item": next(filter(None, (_found(line, path) for path in codes)), ""),
        "quantity": _found(line, "cbc:Quantity"),
        "price": _unit_price(price, base, where) if price is not None else "",
        "discount": _percent_of(line, "false", where),
        # A line that says no day of its own is for the day of the whole order.
        "need_by": need_by,
    }


def _unit_price(price: Decimal, base: Decimal | None, where: str) -> str:
    """Price of one base unit; where that is no exact number, the order says it in a way we cannot keep."""
    if base in (None, Decimal(1)):
        return plain(price)
    found = price / base if base else Decimal(0)
    if not base or found * base != price or plain(found)[::-1].find(".") > 10:
        what = f"{where}: {plain(price)} for {plain(base or Decimal(0))} is no exact price of one."
        raise Refused(Problem(what, "file", "Give the price per unit."))
    return plain(found)


def read_response(content: bytes) -> Response:
    """A UBL OrderResponse. Raises Refused, naming the line and what is wrong with it."""
    root = read_xml(content)
    if root.tag != f"{{{RESPONSE}}}OrderResponse":
        raise Refused(Problem("The file is not a UBL OrderResponse.", "file", "Export one, or answer as CSV."))
    order = _found(root, "cac:OrderReference/cbc:ID")
    lines = tuple(_response_line(item) for item in root.iterfind("cac:OrderLine/cac:LineItem", SPACES))
    return Response(order, _found(root, "cbc:ID")[:60], lines)


def _response_line(item: "etree._Element") -> ResponseLine:
    number = _found(item, "cbc:ID")
    if not (number.isascii() and number.isdigit() and len(number) < 6):
        raise Refused(Problem(f"Line {number[:20]!r} has no line number of ours.", "file"))
    where = f"line {number}"
    parts = [
        (_number(delivery, "cbc:Quantity", where), _day(delivery, where))
        for delivery in item.iterfind("cac:Delivery", SPACES)
    ]
    whole = _number(item, "cbc:Quantity", where)
    known = [(quantity if quantity is not None else whole, day) for quantity, day in parts] or [(whole, None)]
    price = _number(item, "cac:Price/cbc:PriceAmount", where)
    code = _found(item, "cbc:LineStatusCode")
    remark = _found(item, "cbc:Note")[:500]
    quantities = tuple((quantity, day) for quantity, day in known if quantity is not None)
    return ResponseLine(int(number), code in ("5", "AP", ""), quantities, price, remark)


def _day(node: "etree._Element", where: str) -> date | None:
    paths: Iterable[str] = (
        "cac:PromisedDeliveryPeriod/cbc:EndDate",
        "cac:PromisedDeliveryPeriod/cbc:StartDate",
        "cbc:LatestDeliveryDate",
        "cac:RequestedDeliveryPeriod/cbc:EndDate",
    )
    text: Sequence[str] = [found for found in (_found(node, path) for path in paths) if found]
    if not text:
        return None
    try:
        return date.fromisoformat(text[0][:10])
    except ValueError:
        raise Refused(Problem(f"{where}: {text[0][:20]!r} is not a day.", "file")) from None
