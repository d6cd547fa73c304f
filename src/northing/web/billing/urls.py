"""Addresses of the step: billing."""

from django.urls import path

from northing.web.billing.views import bills, case_costs, credits, files, goods, kept
from northing.web.common.converters import one_of

one_of("bill_act", bills.ACTS)

urlpatterns = [
    path("", bills.bills, name="bills"),
    path("new/", bills.new_bill, name="new-bill"),
    path("goods/", goods.supplier_bill, name="supplier-bill"),
    path("goods/file/", files.bill_file, name="bill-file"),
    path("kept/", kept.kept_bills, name="kept-bills"),
    path("kept/<int:kept_id>/", kept.kept_bill, name="kept-bill"),
    path("case-cost/", case_costs.case_cost, name="case-cost"),
    path("credit/", credits.credit_note, name="credit-note"),
    path("<int:bill_id>/", bills.bill, name="bill"),
    path("<int:bill_id>/<bill_act:act>/", bills.bill_act, name="bill-act"),
]
