"""Every address of the application."""

from django.urls import include, path

from northing.api.main import api

urlpatterns = [path("api/v1/", api.urls), path("", include("northing.web.urls"))]
handler500 = "northing.web.common.errors.failed"
