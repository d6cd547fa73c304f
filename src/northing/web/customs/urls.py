"""Addresses of the step: customs."""

from django.urls import path

from northing.web.customs import views

urlpatterns = [
    path("<int:shipment_id>/<int:company_id>/", views.customs, name="customs"),
    path("proofs/<int:proof_id>/withdraw/", views.withdraw_proof, name="withdraw-proof"),
    path("entries/<int:customs_entry_id>/reverse/", views.reverse_entry, name="reverse-customs-entry"),
]
