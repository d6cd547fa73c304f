"""Addresses of the step: costing."""

from django.urls import path

from northing.web.costing import looking_back, views

urlpatterns = [
    path("", views.charges, name="costs"),
    path("new/", views.new_charge, name="new-charge"),
    path("<int:charge_id>/", views.charge, name="charge"),
    path("cards/<int:shipment_id>/<int:company_id>/", views.take_cards, name="take-cards"),
    path("<int:charge_id>/spread/", views.spread, name="spread"),
    path("tariff/", looking_back.tariff, name="tariff-moves"),
    path("tariff/<int:change_id>/", looking_back.tariff_change, name="tariff-change"),
    path("actual/", looking_back.actual, name="actual-costs"),
    path("lines/<int:line_id>/", looking_back.line, name="line-costs"),
    path("items/<int:item_id>/", looking_back.item, name="item-costs"),
    path("layers/<int:layer_id>/", views.layer, name="layer"),
]
