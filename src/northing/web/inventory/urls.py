"""Addresses of the step: inventory."""

from django.urls import path

from northing.web.inventory import views

urlpatterns = [
    path("issues/<int:issue_id>/take-back/", views.take_back_issue, name="take-back-issue"),
    path("", views.stock, name="stock"),
    path("<int:item_id>/", views.item, name="item"),
]
