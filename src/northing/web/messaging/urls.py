"""Addresses of the step: messaging."""

from django.urls import path

from northing.web.messaging import mail, views

urlpatterns = [
    path("webhooks/", views.hooks, name="hooks"),
    path("webhooks/<int:webhook_id>/end/", views.end_hook, name="end-hook"),
    path("mail/", mail.mail_page, name="mail-server"),
    path("mail/environment/", mail.use_environment, name="mail-environment"),
]
