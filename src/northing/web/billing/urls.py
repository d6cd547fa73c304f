"""Addresses of the step: billing."""

from django.urls import path

from northing.web.billing import views

urlpatterns = [
    path("", views.bills, name="bills"),
    path("new/", views.new_bill, name="new-bill"),
    path("<int:bill_id>/", views.bill, name="bill"),
]
