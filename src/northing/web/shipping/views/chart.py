"""The chart: what is under way on the map, and what waits in which port."""

from django.shortcuts import render
from django.templatetags.static import static
from django.utils import timezone
from django.utils.safestring import mark_safe

from northing.access.permissions import companies_of
from northing.reports.chart import chart
from northing.web.common.permissions import open_page
from northing.web.shipping.queries.aboard import shipments_asked
from northing.web.shipping.queries.chart import drawing


@open_page
def passage_chart(request):
    """Vessels where they are by now; the sentence says whose goods are aboard."""
    today = timezone.localdate()
    asked = shipments_asked(request.user, request.GET.get("where", ""), today, to_come=True)
    found = chart(asked.shipments, companies_of(request.user), today)
    all_of_it = request.GET.get("all") == "1"
    held = [one for one in found.ports.values() if one.waits]
    context = {
        "where": asked.said,
        "unknown": asked.unknown,
        "all": all_of_it,
        "found": found,
        "sailing": sum(one.boxes for one in found.under_way),
        "held": sorted(held, key=lambda one: (-one.boxes, one.port.name)),
        "waiting": sum(one.boxes for one in held),
        "drawing": mark_safe(drawing(found, static("built/land.svg"), today, all_of_it=all_of_it)),
    }
    return render(request, "shipping/chart.html", context)
