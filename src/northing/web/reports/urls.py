"""Addresses of the step: reports."""

from django.urls import path

from northing.ledger.models import Account
from northing.web.common.converters import one_of
from northing.web.reports import closing, find, journal, scenario, sheets, views

one_of("account", Account.values)

urlpatterns = [
    path("find/", find.find, name="find"),
    path("", views.look_back, name="look-back"),
    path("scenarios/lines/<int:line_id>.json", scenario.of_line, name="line-scenario"),
    path("scenarios/bills/<int:bill_id>.json", scenario.of_bill, name="bill-scenario"),
    path("scenarios/layers/<int:layer_id>.json", scenario.of_layer, name="layer-scenario"),
    path("ledger/", views.ledger, name="ledger"),
    path("ledger/<int:entry_id>/", views.entry, name="entry"),
    path("ledger/trial-balance/", sheets.balance, name="trial-balance"),
    path("ledger/accounts/<int:company_id>/<account:account>/", sheets.account, name="account-sheet"),
    path("ledger/closing/", closing.close, name="close-period"),
    path("ledger/journals/", journal.journals, name="journals"),
    path("ledger/journals/<int:export_id>.csv", journal.journal, name="journal"),
    path("ledger/numbers/<int:company_id>/", journal.numbers, name="account-numbers"),
    path("ledger/closing/<int:closing_id>/reopen/", closing.reopen, name="reopen-period"),
]
