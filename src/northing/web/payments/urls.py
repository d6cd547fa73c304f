"""Addresses of the step: payments."""

from django.urls import path

from northing.web.payments import views

urlpatterns = [
    path("", views.open_items, name="open-bills"),
    path("new/", views.new_payment, name="pay"),
    path("made/", views.payments, name="payments"),
    path("<int:payment_id>/", views.payment, name="payment"),
    path("<int:payment_id>/remittance.pdf", views.remittance, name="remittance"),
]
