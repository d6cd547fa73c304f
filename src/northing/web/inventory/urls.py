"""Addresses of the step: inventory."""

from django.urls import path

from northing.web.inventory import views

urlpatterns = [
    path("issues/<int:issue_id>/take-back/", views.take_back_issue, name="take-back-issue"),
    path("openings/<int:opening_id>/reverse/", views.reverse_opening, name="reverse-opening"),
    path("layers/<int:layer_id>/move/", views.move, name="move-goods"),
    path("<int:item_id>/count/", views.adjust, name="adjust-stock"),
    path("counts/<int:count_id>/reverse/", views.reverse_adjustment, name="reverse-adjustment"),
    path("", views.stock, name="stock"),
    path("<int:item_id>/", views.item, name="item"),
]
