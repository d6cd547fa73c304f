"""Addresses of the step: billing."""

from django.urls import path

from northing.web.billing import views

urlpatterns = [
    path("", views.bills, name="bills"),
]
