"""Papers as PDF, from a template that is the text alone; our typeface is embedded."""

import base64
import re
from typing import Any

import weasyprint
from django.conf import settings
from django.template.loader import render_to_string
from weasyprint.urls import URLFetcherResponse

FONTS = settings.PACKAGE / "static" / "built" / "fonts"
OURS = "northing:"

PICTURE = re.compile(r"data:(image/(?:png|jpeg));base64,")


def to_pdf(template: str, context: dict[str, Any], *, sums: bool = True) -> bytes:
    """The template as a PDF. Nothing is fetched for it but our typeface.

    A paper with `sums` and of several pages gets `several` in its context, so that each page can say what it comes to:
    that lays it out twice.
    """
    paper = _laid_out(template, context)
    if sums and len(paper.pages) > 1:
        paper = _laid_out(template, context | {"several": True})
    return paper.write_pdf()


def _laid_out(template: str, context: dict[str, Any]) -> weasyprint.Document:
    return weasyprint.HTML(string=render_to_string(template, context), url_fetcher=_typeface).render()


def _typeface(url: str, *_: object, **__: object) -> URLFetcherResponse:
    path = FONTS / url.removeprefix(OURS)
    if url.startswith(OURS) and path.parent == FONTS and path.suffix == ".woff2":
        return URLFetcherResponse(url, path.read_bytes(), {"Content-Type": "font/woff2"})
    # A picture that the paper brings along.
    if (found := PICTURE.match(url)) is not None:
        return URLFetcherResponse(url, base64.b64decode(url[found.end() :]), {"Content-Type": found[1]})
    raise ValueError(f"a paper fetches nothing, not {url[:40]}")
