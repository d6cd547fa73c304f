"""Suppliers' bills as tables and as UBL: what is read, and what is refused in words."""

from datetime import date
from decimal import Decimal as D

import pytest

from northing.core.problems import Refused
from northing.formats.bill_files import BillFileLine, read_bill

TABLE = b"""order,line,item,quantity,price,amount,kind,remark,number,day,due_on,currency,tax,total
PO-1,1,A,60,20.50,,,,S-1,2026-02-10,2026-03-10,usd,0,1270.00
,,,,,40.00,freight,by sea,,,,,,
"""
INVOICE = """<?xml version="1.0"?>
<Invoice xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"
  xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
  xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">
  <cbc:ID>S-1</cbc:ID><cbc:IssueDate>2026-02-10</cbc:IssueDate><cbc:DueDate>2026-03-10</cbc:DueDate>
  <cbc:DocumentCurrencyCode>USD</cbc:DocumentCurrencyCode>
  <cac:OrderReference><cbc:ID>PO-1</cbc:ID></cac:OrderReference>
  <cac:AllowanceCharge><cbc:ChargeIndicator>true</cbc:ChargeIndicator>
    <cbc:AllowanceChargeReason>Sea freight</cbc:AllowanceChargeReason>
    <cbc:Amount>40.00</cbc:Amount></cac:AllowanceCharge>
  <cac:AllowanceCharge><cbc:ChargeIndicator>false</cbc:ChargeIndicator>
    <cbc:Amount>10.00</cbc:Amount></cac:AllowanceCharge>
  <cac:TaxTotal><cbc:TaxAmount>0.00</cbc:TaxAmount></cac:TaxTotal>
  <cac:LegalMonetaryTotal><cbc:PayableAmount>1260.00</cbc:PayableAmount></cac:LegalMonetaryTotal>
  <cac:InvoiceLine><cbc:ID>1</cbc:ID><cbc:InvoicedQuantity>60</cbc:InvoicedQuantity>
    <cbc:LineExtensionAmount>1230.00</cbc:LineExtensionAmount>
    <cac:OrderLineReference><cbc:LineID>1</cbc:LineID></cac:OrderLineReference>
    <cac:Item><cac:BuyersItemIdentification><cbc:ID>A</cbc:ID></cac:BuyersItemIdentification></cac:Item>
    <cac:Price><cbc:PriceAmount>205.00</cbc:PriceAmount><cbc:BaseQuantity>10</cbc:BaseQuantity></cac:Price>
  </cac:InvoiceLine>
</Invoice>"""


def read(tmp_path, content):
    path = tmp_path / "bill"
    path.write_bytes(content)
    return read_bill(path)


def test_a_table_says_its_head_once(tmp_path):
    bill = read(tmp_path, TABLE)
    assert (bill.number, bill.day, bill.due_on) == ("S-1", date(2026, 2, 10), date(2026, 3, 10))
    assert (bill.currency, bill.tax, bill.total) == ("USD", 0, D("1270.00"))
    assert bill.lines == (
        BillFileLine(2, "PO-1", "1", "A", D(60), D("20.50")),
        BillFileLine(3, kind="freight", amount=D("40.00"), remark="by sea"),
    )


def test_an_invoice_with_allowances_and_a_price_of_ten(tmp_path):
    bill = read(tmp_path, INVOICE.encode())
    assert (bill.number, bill.currency, bill.total, bill.tax) == ("S-1", "USD", 1260, 0)
    assert bill.lines == (
        BillFileLine(1, "PO-1", "1", "A", D(60), D("20.5"), D("1230.00")),
        BillFileLine(1, amount=D("40.00"), kind="freight", remark="Sea freight"),
        BillFileLine(2, amount=D("-10.00"), kind="discount"),
    )


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"order,quantity\n", "has no row"),
        (b"order\nPO-1\n", "lacks the columns quantity"),
        (b"order,quantity\nPO-1,many\n", "Row 2, quantity: 'many' is not a number"),
        (b"order,quantity\nPO-1,1e20\n", "is not a number|larger than anything"),
        (b"order,quantity,kind\nPO-1,1,gift\n", "none of freight"),
        (b"order,quantity,day\nPO-1,1,soon\n", "day"),
        (b"order,quantity\n" + b"PO-1,1\n" * 501, "more than 500 rows"),
        (f"order,quantity,remark\nPO-1,1,{'x' * 121}\n".encode(), "longer than 120"),
        (b"<a/>", "no UBL Invoice"),
        (b"<a", "not readable XML"),
        (b'<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "declares a document type"),
        (INVOICE.replace("60</cbc:Inv", "lots</cbc:Inv").encode(), "'lots' is not a number"),
        (INVOICE.replace("<cbc:ID>S-1", f"<cbc:ID>{'9' * 200}").encode(), "longer than 40 signs"),
        (INVOICE.split("<cac:AllowanceCharge>")[0].encode() + b"</Invoice>", "The bill has no line"),
        (INVOICE.replace("2026-02-10", "yesterday").encode(), "IssueDate"),
    ],
)
def test_what_is_no_bill_is_refused_in_words(tmp_path, content, words):
    with pytest.raises(Refused, match=words):
        read(tmp_path, content)


def test_more_lines_than_a_bill_has(tmp_path):
    line = INVOICE[INVOICE.index("  <cac:InvoiceLine>") : INVOICE.index("</Invoice>")]
    with pytest.raises(Refused, match="more than 500 lines"):
        read(tmp_path, INVOICE.replace(line, line * 501).encode())


def test_a_credit_note_says_which_bill_it_corrects(tmp_path):
    content = INVOICE.replace("Invoice-2", "CreditNote-2").replace("InvoiceLine", "CreditNoteLine")
    content = content.replace("<Invoice", "<CreditNote").replace("</Invoice", "</CreditNote")
    corrects = "<cac:BillingReference><cac:InvoiceDocumentReference><cbc:ID>S-0</cbc:ID></cac:InvoiceDocumentReference>"
    content = content.replace("InvoicedQuantity", "CreditedQuantity")
    content = content.replace("<cac:OrderReference>", f"{corrects}</cac:BillingReference><cac:OrderReference>", 1)
    note = read(tmp_path, content.encode())
    assert (note.credit, note.corrects, note.number, note.total) == (True, "S-0", "S-1", 1260)
    assert note.lines[0] == BillFileLine(1, "PO-1", "1", "A", D(60), D("20.5"), D("1230.00"))
    assert not read(tmp_path, TABLE).credit
    table = read(tmp_path, b"order,line,quantity,price,number,corrects\nPO-1,1,2,18.40,CN-1,S-0\n")
    assert (table.credit, table.corrects) == (True, "S-0")
