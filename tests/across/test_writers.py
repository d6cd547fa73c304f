"""Only `operations.py` of a step writes its facts: read off the code.

Writes still made elsewhere stand in LEFT by file; a number only falls.
"""

import ast
from pathlib import Path

PACKAGE = Path(__file__).resolve().parents[2] / "src" / "northing"
ROOMS = ("actions", "api", "reports", "web")
WRITES = {"create", "bulk_create", "get_or_create", "update_or_create", "bulk_update", "save", "delete"}
LEFT: dict[str, int] = {}


def writes(path):
    """Calls in a file that write rows: of a manager or a query set, or of a record."""
    found = 0
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            whose = ast.unparse(node.func.value)
            of_rows = "objects" in whose or "_default_manager" in whose or "filter(" in whose
            name = node.func.attr
            found += (name in WRITES and whose not in ("form", "request.session")) or (name == "update" and of_rows)
    return found


def test_operations_are_the_only_writers():
    files = [path for room in ROOMS for path in (PACKAGE / room).rglob("*.py") if "management" not in path.parts]
    found = {str(path.relative_to(PACKAGE)): writes(path) for path in files}
    assert {name: number for name, number in found.items() if number} == LEFT
