"""Wait, fly, or fly a part: the ways for a line that may come too late, and the division that follows."""

from decimal import ROUND_CEILING, Decimal

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.orders import set_parts
from northing.core.money.exact import plain, read_exact
from northing.orders.models import OrderLine
from northing.reports.line_ways import open_parts, ways_of
from northing.web.common.forms import ActionForm, say_errors
from northing.web.common.permissions import acts_for

ZERO = Decimal(0)


@acts_for("write_order")
def ways(request, line_id: int):
    """The ways side by side; dividing the line asks the supplier for the part that flies."""
    found = OrderLine.objects.select_related("item", "order__company", "order__supplier", "order__site")
    found = found.prefetch_related("instalments__position")
    line = get_object_or_404(scoped(found, request.user, "order__company"), pk=line_id)
    there = sum((part.position.with_supplier for part in open_parts(line)), ZERO)
    fly = _typed(request.POST.get("fly") or request.GET.get("fly", ""), there, line.item.decimals)
    allowed = may(request.user, "write_order", line.order.company_id) and not line.order.cancelled_at
    form = ActionForm(request.POST or None)
    if request.method == "POST" and allowed:
        if form.do(request, set_parts.set_parts, lambda _: _asked(line, fly)):
            messages.success(
                request, f"The supplier is asked for {plain(fly)} apart: load them by air when they are ready."
            )
            return redirect("line", line.pk)
        say_errors(request, form)
    context = {"line": line, "order": line.order, "there": there, "fly": plain(fly), "form": ActionForm()}
    context |= {"ways": ways_of(line, fly, timezone.localdate()), "allowed": allowed and ZERO < fly < there}
    return render(request, "orders/ways.html", context, status=422 if form.is_bound and form.errors else 200)


def _typed(said: str, there: Decimal, decimals: int) -> Decimal:
    """How many fly: as typed, else half of them; never more than there are."""
    half = (there / 2).quantize(Decimal(1).scaleb(-decimals), ROUND_CEILING)
    try:
        fly = read_exact(said.replace(",", "").strip()) if said else half
    except ValueError:
        fly = half
    return min(max(fly, ZERO), there)


def _asked(line: OrderLine, fly: Decimal) -> set_parts.PartsRequest:
    """The parts as they are, and the first `fly` units of them apart on the same day."""
    parts, left = [], fly
    for part in open_parts(line):
        there, day = part.position.with_supplier, part.promise or part.asked_on
        flown = min(there, left)
        left -= flown
        if flown < there:
            parts.append(set_parts.PartRequest(part.pk, there - flown, day))
            parts += [set_parts.PartRequest(None, flown, day)] if flown else []
        else:
            parts.append(set_parts.PartRequest(part.pk, flown, day))
    return set_parts.PartsRequest(line.pk, line.order.version, tuple(parts))
