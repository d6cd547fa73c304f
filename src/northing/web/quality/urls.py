"""Addresses of the step: quality."""

from django.urls import path

from northing.web.quality import views

urlpatterns = [
    path("", views.quality, name="quality"),
    path("<int:layer_id>/inspect/", views.inspect, name="inspect"),
    path("inspections/<int:inspection_id>/reverse/", views.reverse_inspection, name="reverse-inspection"),
]
