"""Addresses of the step: activity."""

from django.urls import path

from northing.web.activity import views

urlpatterns = [
    path("<str:kind>/<int:record>/remark/", views.remark, name="remark"),
    path("<str:kind>/<int:record>/document/", views.attach, name="attach"),
    path("documents/<int:document_id>/", views.document, name="document"),
    path("documents/<int:document_id>/page/<int:page>/", views.document_page, name="document-page"),
]
