"""The kinds of records that goods are inspected by."""

from decimal import Decimal

from northing.core.orders.orders import MODES
from northing.core.quality.sampling import AQLS, LEVELS
from northing.formats import facts as of
from northing.masterdata.facts import LARGEST, Fact, Kind, choice, code
from northing.masterdata.models import Characteristic, ClaimDays, Defect, InspectionRule, Severity

_AQL = Decimal("1.0")


def _aql(said: str) -> Decimal:
    found = {aql: aql for aql in AQLS}.get(of.number(Decimal(0), Decimal(1000), 3)(said))
    if found is None:
        raise ValueError(f"is no AQL; those of the standard are {', '.join(str(aql) for aql in AQLS)}")
    return found


def _level(said: str) -> str:
    if said.upper() not in LEVELS:
        raise ValueError(f"is none of {', '.join(LEVELS)}")
    return said.upper()


QUALITY = (
    Kind(
        "inspect-rule",
        "rule of inspection",
        "rules of inspection",
        InspectionRule,
        ("item", "group", "supplier"),
        (
            Fact("item", "Item", absent=None, refers="item", fixed=True),
            Fact("group", "Group of items", of.text(40), "", fixed=True),
            Fact("supplier", "Only from the supplier", absent=None, refers="supplier", fixed=True),
            choice("how", "Inspect", InspectionRule.How.values),
            Fact("level", "Level of ISO 2859-1", _level, "II", choices=LEVELS),
            Fact("aql", "AQL of major defects", _aql, _AQL),
            Fact("aql_minor", "AQL of minor defects", _aql, None),
            Fact("reduces", "Reduced after good lots", of.yes_no, True, choices=("yes", "no")),
            Fact("skip_after", "Skip lots after so many good ones", of.whole(1, 1000), 10),
            Fact("skip_one_in", "Then inspect one in", of.whole(1, 1000), 5),
            Fact("papers", "Papers that must be there, one in each line", of.lines(400), ""),
        ),
        ("keep_house", "keep_supplier"),
    ),
    Kind(
        "defect",
        "defect",
        "defects",
        Defect,
        ("code",),
        (
            code(16),
            Fact("name", "What is wrong", of.text(60)),
            choice("severity", "How grave", Severity.values, absent=Severity.MAJOR),
        ),
        ("keep_house",),
    ),
    Kind(
        "trait",
        "characteristic",
        "characteristics",
        Characteristic,
        ("item", "group", "name"),
        (
            Fact("item", "Item", absent=None, refers="item", fixed=True),
            Fact("group", "Group of items", of.text(40), "", fixed=True),
            Fact("name", "Check", of.text(60), fixed=True),
            Fact("unit", "Unit", of.text(12), ""),
            Fact("least", "At least", of.number(-LARGEST, LARGEST, 4), None),
            Fact("most", "At most", of.number(-LARGEST, LARGEST, 4), None),
            choice("severity", "How grave, where it is not right", Severity.values, absent=Severity.MAJOR),
        ),
        ("keep_house", "keep_supplier"),
    ),
    Kind(
        "claim-days",
        "days for claims",
        "days for claims",
        ClaimDays,
        ("party", "mode"),
        (
            Fact("party", "Carrier, insurer or forwarder", refers="provider", fixed=True),
            choice("mode", "Goods that travel by", MODES, fixed=True),
            Fact("notice_days", "Notice of damage or loss within days", of.whole(0, 3650), None),
            Fact("claim_days", "Claims within days of delivery", of.whole(0, 3650), None),
        ),
        ("keep_house", "keep_supplier"),
    ),
)
