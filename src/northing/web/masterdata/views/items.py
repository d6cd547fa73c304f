"""Facts of an item."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from northing.actions.masterdata import suppliers
from northing.masterdata.models import Item
from northing.web.common.forms import say_errors
from northing.web.common.permissions import acts_for
from northing.web.masterdata.forms.items import DelayForm


@acts_for("keep_supplier")
@require_POST
def delay_cost(request, item_id: int):
    """Say what a day's delay of an item costs."""
    record, form = get_object_or_404(Item, pk=item_id), DelayForm(request.POST)

    def asked(entered: dict) -> suppliers.DelayRequest:
        return suppliers.DelayRequest(record.pk, entered["cost"])

    if form.do(request, suppliers.set_delay_cost, asked):
        messages.success(request, "Saved. Delays to this item now rank higher.")
    say_errors(request, form)
    return redirect("item", record.pk)
