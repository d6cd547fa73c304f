"""Addresses of the step: quality."""

from django.urls import path

from northing.web.quality import views

urlpatterns = [
    path("", views.quality, name="quality"),
    path("<int:layer_id>/inspect/", views.inspect, name="inspect"),
    path("inspections/", views.inspections, name="inspections"),
    path("inspections.csv", views.inspections_csv, name="inspections-csv"),
    path("inspections/<int:inspection_id>/certificate/", views.certificate, name="certificate"),
    path("inspections/<int:inspection_id>/reverse/", views.reverse_inspection, name="reverse-inspection"),
]
