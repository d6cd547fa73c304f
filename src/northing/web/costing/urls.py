"""Addresses of the step: costing."""

from django.urls import path

from northing.web.costing import views

urlpatterns = [
    path("", views.charges, name="costs"),
    path("new/", views.new_charge, name="new-charge"),
    path("<int:charge_id>/", views.charge, name="charge"),
    path("cards/<int:shipment_id>/<int:company_id>/", views.take_cards, name="take-cards"),
    path("layers/<int:layer_id>/", views.layer, name="layer"),
]
