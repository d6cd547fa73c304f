"""Only `operations.py` of a step writes its facts: read off the code.

What is still written elsewhere stands in LEFT by file; a number only falls.
"""

import ast
from pathlib import Path

PACKAGE = Path(__file__).resolve().parents[2] / "src" / "northing"
ROOMS = ("actions", "api", "reports", "web")
WRITES = {"create", "bulk_create", "get_or_create", "update_or_create", "bulk_update", "save", "delete"}
LEFT = {
    "actions/access/roles.py": 3,
    "actions/access/tokens.py": 3,
    "actions/confirmations/chaser_rules.py": 1,
    "actions/confirmations/chasers.py": 2,
    "actions/confirmations/supplier_links.py": 6,
    "actions/masterdata/opening.py": 6,
    "actions/masterdata/records.py": 4,
    "actions/messaging/webhooks.py": 2,
    "actions/orders/import_file.py": 7,
    "actions/shipping/arrival_calendars.py": 3,
    "actions/shipping/carrier_events.py": 3,
    "actions/shipping/load.py": 5,
    "actions/worklist/refresh.py": 2,
    "web/access/forms/sign_in.py": 2,
    "web/access/views/account.py": 5,
    "web/orders/views/lines.py": 2,
    "web/worklist/views.py": 2,
}


def writes(path):
    """Calls in a file that write rows: of a manager or a query set, or of a record."""
    found = 0
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            whose = ast.unparse(node.func.value)
            of_rows = "objects" in whose or "_default_manager" in whose or "filter(" in whose
            name = node.func.attr
            found += (name in WRITES and whose != "form") or (name == "update" and of_rows)
    return found


def test_operations_are_the_only_writers():
    files = [path for room in ROOMS for path in (PACKAGE / room).rglob("*.py") if "management" not in path.parts]
    found = {str(path.relative_to(PACKAGE)): writes(path) for path in files}
    assert {name: number for name, number in found.items() if number} == LEFT
