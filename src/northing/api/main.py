"""The API put together: its calls, how errors are said, and its OpenAPI document."""

from http import HTTPStatus
from typing import Any

from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from northing import __version__
from northing.actions.orders.revise import Overtaken
from northing.api import (
    activity,
    billing,
    confirmations,
    inventory,
    labels,
    masterdata,
    moves,
    orders,
    receiving,
    shipping,
)
from northing.api.callers import Token
from northing.core.problems import KeyReused, NotAllowed, Problem, Refused

PROBLEM = "application/problem+json"
WORDS = """Orders, lines and confirmations of Northing. Exact numbers are strings; errors are problem details
(RFC 9457); pages go on with `after` set to the `next` of the page before; `Idempotency-Key` makes an action happen
once."""


class Northing(NinjaAPI):
    """The API; its document says that errors come as problem details."""

    def get_openapi_schema(self, **how: Any) -> Any:
        """The OpenAPI document."""
        found = super().get_openapi_schema(**how)
        for path in found["paths"].values():
            for call in path.values():
                for code, answer in call.get("responses", {}).items():
                    if int(code) >= 400 and "content" in answer:
                        answer["content"] = {PROBLEM: next(iter(answer["content"].values()))}
                key = {"name": "Idempotency-Key", "in": "header", "schema": {"type": "string", "maxLength": 255}}
                if "requestBody" in call or call["operationId"].endswith("_order"):
                    call.setdefault("parameters", []).append(key)
        return found


api = Northing(
    title="Northing", version=__version__, urls_namespace="api-1", description=WORDS, auth=Token(), docs_url=None
)
for step in (masterdata, orders, confirmations, activity, shipping, receiving, labels, inventory, moves, billing):
    api.add_router("", step.router)


def said(status: int, detail: str = "", problems: list[Problem] | None = None) -> HttpResponse:
    """An error as problem details."""
    faults = [
        {"what": one.what, "where": one.where, "mend": one.mend, "strength": one.strength.value}
        for one in problems or []
    ]
    content = {"type": "about:blank", "title": HTTPStatus(status).phrase, "status": status, "detail": detail}
    return JsonResponse(content | {"problems": faults}, status=status, content_type=PROBLEM)


@api.exception_handler(Refused)
def refused(request: HttpRequest, error: Refused) -> HttpResponse:
    """Answer a refusal: 403 without the permission, 409 when another was first, 422 for the rest."""
    status = 403 if isinstance(error, NotAllowed) else 409 if isinstance(error, Overtaken | KeyReused) else 422
    return said(status, str(error), error.problems)


@api.exception_handler(ValidationError)
def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    """Answer a request that has not the shape asked for."""
    problems = [Problem(one["msg"], ".".join(str(step) for step in one["loc"])) for one in error.errors]
    return said(422, "The request has not the shape this call takes.", problems)


@api.exception_handler(AuthenticationError)
def unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    """No token, or one that has ended."""
    answer = said(401, "Send a live token as `Authorization: Bearer …`; make one under your account.")
    answer["WWW-Authenticate"] = "Bearer"
    return answer


@api.exception_handler(Http404)
@api.exception_handler(ObjectDoesNotExist)
def missing(request: HttpRequest, error: Exception) -> HttpResponse:
    """A record that is not there, or not yours to see."""
    return said(404, "There is no such record that you may see.")


@api.exception_handler(RequestDataTooBig)
def too_large(request: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
    """More than a call takes at once."""
    return said(413, "This is more than one call takes; send it in parts.")


@api.exception_handler(HttpError)
def other(request: HttpRequest, error: HttpError) -> HttpResponse:
    """Answer the framework's own errors."""
    return said(error.status_code, str(error))
