"""The site at which a person works: asked for once, kept for the session."""

from collections.abc import Sequence

from northing.masterdata.models import Site


def site_asked(request, sites: Sequence[Site]) -> Site | None:
    """The site that is asked for, else the last one; none for all of them, and where there is one only."""
    codes = {site.code: site for site in sites}
    said = request.GET.get("site")
    if said is not None and (said in codes or not said):
        request.session["dock_site"] = said
    return codes.get(request.session.get("dock_site", "")) if len(sites) > 1 else None
