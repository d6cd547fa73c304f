"""Addresses of the step: customs."""

from django.urls import path

from northing.web.customs import views

urlpatterns = [
    path("<int:shipment_id>/<int:company_id>/", views.customs, name="customs"),
    path("receipts/<int:receipt_id>/", views.unpacked, name="customs-unpacked"),
    path("entries/<int:customs_entry_id>/", views.customs_entry, name="customs-entry"),
    path("entries/<int:customs_entry_id>/pay/", views.pay, name="pay-office"),
    path("payments/<int:office_payment_id>/reverse/", views.reverse_payment, name="reverse-office-payment"),
    path("entries/<int:customs_entry_id>/release/", views.release, name="release-goods"),
    path("releases/<int:release_id>/withdraw/", views.withdraw_release, name="withdraw-release"),
    path("proofs/<int:proof_id>/withdraw/", views.withdraw_proof, name="withdraw-proof"),
    path("entries/<int:customs_entry_id>/reverse/", views.reverse_entry, name="reverse-customs-entry"),
]
