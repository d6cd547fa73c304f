"""Addresses of the step: jobs."""

from django.urls import path

from northing.web.jobs import views

urlpatterns = [
    path("<int:job_id>/", views.errand, name="errand"),
    path("<int:job_id>/file/", views.errand_file, name="errand-file"),
]
