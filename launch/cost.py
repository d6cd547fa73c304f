"""`./northing cost FILE`: a landed cost case from JSON, on a bare Python."""

import sys

from northing.formats.cost_case import compute
from northing.formats.json_fields import BadCase


def cost(arguments: list[str]) -> int:
    """Print the computed case; 2 and one line on stderr when it cannot be computed."""
    if len(arguments) != 1:
        return _refuse("usage: ./northing cost FILE   (or - for standard input)")
    try:
        print(compute(_read(arguments[0])))
    except OSError as error:
        return _refuse(f"{arguments[0]}: {error.strerror}")
    except BadCase as error:
        return _refuse(str(error))
    return 0


def _read(name: str) -> bytes:
    if name == "-":
        return sys.stdin.buffer.read()
    with open(name, "rb") as file:
        return file.read()


def _refuse(message: str) -> int:
    one_line = " ".join(message.split())
    sys.stderr.write("northing cost: " + one_line.encode("ascii", "backslashreplace").decode() + "\n")
    return 2
