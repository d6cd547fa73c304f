"""Every address of the application."""

from django.urls import include, path

urlpatterns = [path("", include("northing.desk.urls"))]
