"""Addresses of the step: masterdata."""

from django.urls import path

from northing.web.masterdata.views import items, rates, records, steps, suppliers

urlpatterns = [
    path("", records.house, name="house"),
    path("steps/", steps.steps, name="first-steps"),
    path("steps/test-letter/", steps.test_letter, name="test-letter"),
    path("records/<str:name>/", records.records, name="records"),
    path("records/<str:name>/new/", records.new_record, name="new-record"),
    path("records/<str:name>/file/", records.records_file, name="records-file"),
    path("records/<str:name>/csv/", records.records_csv, name="records-csv"),
    path("records/<str:name>/<str:key>/", records.record, name="record"),
    path("providers/<int:provider_id>/links/", suppliers.provider_links, name="provider-links"),
    path("suppliers/<int:supplier_id>/", suppliers.supplier, name="supplier-record"),
    path("suppliers/<int:supplier_id>/facts/", suppliers.supplier_facts, name="supplier-facts"),
    path("suppliers/<int:supplier_id>/agreement/", suppliers.agree, name="agree"),
    path("suppliers/<int:supplier_id>/invite/", suppliers.invite, name="invite"),
    path("suppliers/<int:supplier_id>/revoke/", suppliers.revoke, name="revoke"),
    path("rates/", rates.rates, name="rates"),
    path("rates/feed/", rates.rate_feed, name="rate-feed"),
    path("rates/<int:rate_id>/settle/", rates.asked_rate, name="asked-rate"),
    path("items/<int:item_id>/delay/", items.delay_cost, name="delay-cost"),
]
