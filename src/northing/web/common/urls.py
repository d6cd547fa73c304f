"""Addresses that belong to no step."""

from django.urls import path

from northing.web.common import views

urlpatterns = [
    path("healthz", views.healthz, name="healthz"),
]
