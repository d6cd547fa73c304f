"""The common parts of the calls: parameters and answers."""

from typing import Annotated, Any

from ninja import Path, Query

from northing.api.paging import MOST, USUAL
from northing.api.shapes.common import NO_NUL, Id, ProblemDetails

FAULTS = dict.fromkeys((400, 401, 403, 404, 409, 413, 422), ProblemDetails)
After = Annotated[str, Query("", max_length=200, pattern=NO_NUL, description="`next` of the page before")]
Limit = Annotated[int, Query(USUAL, ge=1, le=MOST)]
Words = Annotated[str, Query("", max_length=100, pattern=NO_NUL)]
Key = Annotated[Id, Path()]


def answers(shape: Any, code: int = 200) -> dict[int, Any]:
    """The answers of a call: its shape, or a problem."""
    return {code: shape, **FAULTS}
