"""Addresses of the step: inventory."""

from django.urls import path

from northing.web.inventory import views

urlpatterns = [
    path("", views.stock, name="stock"),
    path("<int:item_id>/", views.item, name="item"),
]
