"""Addresses of the step: receiving."""

from django.urls import path

from northing.web.receiving import views

urlpatterns = [
    path("", views.dock, name="dock"),
    path("<int:container_id>/<int:site_id>/", views.receive, name="receive"),
    path("receipts/<int:receipt_id>/", views.receipt, name="receipt"),
]
