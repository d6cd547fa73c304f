"""The calls of the passage: carriers' events pushed to us."""

import json

from django.http import HttpRequest
from ninja import Router

from northing.api import shapes
from northing.api.asking import answers
from northing.api.doors import act_of, require
from northing.deeds.ship import hearing

router = Router()


@router.post("/events", response=answers(shapes.EventsOut), tags=["passage"])
def hear(request: HttpRequest, asked: shapes.EventsIn):
    """Take in Track & Trace events in the JSON of the DCSA; one that is known is left alone.

    An event that cannot be read is named under `wrong`, and the others are kept.
    """
    require(request, "passage")
    content = json.dumps(asked.events).encode()
    return hearing.hear(act_of(request), hearing.EventsRequest(asked.source, content))
