"""Addresses of the step: claims."""

from django.urls import path

from northing.web.claims import views

urlpatterns = [
    path("<int:case_id>/", views.case, name="case"),
    path("returns/<int:note_id>/reverse/", views.reverse_return, name="reverse-return"),
]
