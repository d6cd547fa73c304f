"""Addresses of the step: jobs."""

from django.urls import path

from northing.web.jobs import views

urlpatterns = [
    path("<int:job_id>/", views.job, name="job"),
    path("<int:job_id>/file/", views.job_file, name="job-file"),
]
