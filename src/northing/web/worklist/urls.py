"""Addresses of the step: worklist."""

from django.urls import path

from northing.web.worklist import views

urlpatterns = [
    path("", views.watch, name="watch"),
]
