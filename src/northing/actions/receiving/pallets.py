"""Pallets by their SSCC: each is received once."""

from collections.abc import Sequence

from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.core.problems import Problem
from northing.masterdata.models import Site
from northing.receiving import operations as receiving
from northing.receiving.models import ReceiptLine
from northing.receiving.queries import received_pallets


def pallet_problems(request: ReceiveRequest, site: Site) -> list[Problem]:
    """Pallets that were received before, by whom and when; and numbers of ours that cannot be given."""
    ssccs = {row.sscc: row.key for row in request.rows if row.sscc and row.tied_from is None}
    receiving.lock_pallets(ssccs)
    found = [
        Problem(
            f"Pallet {line.sscc} was received before: {line.receipt} of {line.receipt.occurred_on:%-d %b %Y}, by"
            f" {line.receipt.received_by}.",
            f"sscc-{ssccs[line.sscc]}",
            "Leave it out, or look at that receipt.",
            record=("receipt", line.receipt_id),
        )
        for line in received_pallets(list(ssccs))
    ]
    if any(row.pallet is not None for row in request.rows) and not site.company.gs1_prefix:
        what = f"{site.company} has no GS1 prefix, so these pallets get no number of ours."
        mend = "An administrator enters it with the company; or receive them without numbers."
        found.append(Problem(what, "pallets", mend))
    return found


def number_pallets(site: Site, lines: Sequence[tuple[ReceiveRow, ReceiptLine]]) -> None:
    """Give each pallet without an SSCC one of ours; lines of one pallet share it."""
    standing = [(row.pallet, line) for row, line in lines if row.pallet is not None and line.quantity > 0]
    pallets = list(dict.fromkeys(pallet for pallet, _ in standing))
    if not pallets:
        return
    numbers = dict(zip(pallets, receiving.next_ssccs(site.company, len(pallets)), strict=True))
    for pallet, line in standing:
        line.sscc = numbers[pallet]
    receiving.write_ssccs([line for _, line in standing])
