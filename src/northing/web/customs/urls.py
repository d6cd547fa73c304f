"""Addresses of the step: customs."""

from django.urls import path

from northing.web.customs import views

urlpatterns = [
    path("<int:shipment_id>/<int:company_id>/", views.customs, name="customs"),
]
