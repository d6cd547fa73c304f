"""Addresses of the step: receiving."""

from django.urls import path

from northing.web.receiving import views

urlpatterns = [
    path("", views.dock, name="dock"),
    path("<int:container_id>/<int:site_id>/", views.receive, name="receive"),
    path("orders/<int:order_id>/", views.receive_order, name="receive-order"),
    path("receipts/<int:receipt_id>/", views.receipt, name="receipt"),
]
