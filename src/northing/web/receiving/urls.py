"""Addresses of the step: receiving."""

from django.urls import path

from northing.web.receiving import receipts, views

urlpatterns = [
    path("", views.dock, name="dock"),
    path("<int:container_id>/<int:site_id>/", views.receive, name="receive"),
    path("orders/<int:order_id>/", views.receive_order, name="receive-order"),
    path("sheet.pdf", views.sheet, name="dock-sheet"),
    path("receipts/", receipts.receipts, name="receipts"),
    path("receipts/<int:receipt_id>/", views.receipt, name="receipt"),
]
