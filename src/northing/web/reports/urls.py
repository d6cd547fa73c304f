"""Addresses of the step: reports."""

from django.urls import path

from northing.web.reports import find, views

urlpatterns = [
    path("find/", find.find, name="find"),
    path("", views.look_back, name="look-back"),
    path("ledger/", views.ledger, name="ledger"),
    path("ledger/<int:entry_id>/", views.entry, name="entry"),
    path("ledger/trial-balance/", views.trial_balance, name="trial-balance"),
]
