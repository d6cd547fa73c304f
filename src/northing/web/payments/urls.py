"""Addresses of the step: payments."""

from django.urls import path

from northing.web.common.converters import one_of
from northing.web.payments import between, views

one_of("asked_act", views.ASKED_ACTS)

urlpatterns = [
    path("", views.open_items, name="open-bills"),
    path("new/", views.new_payment, name="pay"),
    path("asked/", views.asked_payments, name="asked-payments"),
    path("asked/<int:asked_id>/<asked_act:act>/", views.asked_act, name="asked-act"),
    path("between/", between.between, name="between"),
    path("between/settle/", between.settle, name="settle-between"),
    path("between/<int:between_id>/reverse/", between.reverse, name="reverse-between"),
    path("settled/", views.settled, name="settled"),
    path("made/", views.payments, name="payments"),
    path("<int:payment_id>/", views.payment, name="payment"),
    path("<int:payment_id>/advise/", views.advise, name="advise"),
    path("<int:payment_id>/remittance.pdf", views.remittance, name="remittance"),
]
