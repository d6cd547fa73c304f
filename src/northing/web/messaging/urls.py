"""Addresses of the step: messaging."""

from django.urls import path

from northing.web.messaging import views

urlpatterns = [
    path("webhooks/", views.hooks, name="hooks"),
    path("webhooks/<int:webhook_id>/end/", views.end_hook, name="end-hook"),
]
