"""Addresses of the step: confirmations."""

from django.urls import path

from northing.web.confirmations.views import answers, chasers, supplier_page

urlpatterns = [
    path("", answers.answers, name="answers"),
    path("decide/", answers.decide_many, name="decide-many"),
    path("chasers/", chasers.chasers, name="chasers"),
    path("chasers/rules/", chasers.save_rule, name="save-rule"),
    path("chasers/letters/<int:message_id>/again/", chasers.send_again, name="send-again"),
    path("chasers/<int:supplier_id>/", chasers.chase, name="chase"),
    path("link/<str:token>/", supplier_page.page, name="supplier"),
    path("link/<str:token>/say/", supplier_page.say, name="provider-say"),
    path("link/<str:token>/bill/<int:charge_id>/", supplier_page.bill, name="provider-bill"),
    path("link/<str:token>/confirm/", supplier_page.confirm_all, name="supplier-confirm"),
    path("link/<str:token>/file/", supplier_page.upload, name="supplier-upload"),
    path("link/<str:token>/send-bill/", supplier_page.send_bill, name="supplier-send-bill"),
    path("link/<str:token>/case/<int:case_id>/", supplier_page.take_back, name="supplier-take-back"),
    path("link/<str:token>/despatch/", supplier_page.despatch, name="supplier-despatch"),
    path("link/<str:token>/remark/", supplier_page.remark, name="supplier-remark"),
    path("link/<str:token>/open-lines/", supplier_page.template, name="supplier-template"),
    path("link/<str:token>/<int:order_id>/", supplier_page.answer, name="supplier-answer"),
    path("link/<str:token>/<int:order_id>/document/", supplier_page.document, name="supplier-document"),
    path("link/<str:token>/<int:order_id>/pdf/", supplier_page.paper, {"kind": "pdf"}, name="supplier-pdf"),
    path("link/<str:token>/<int:order_id>/xml/", supplier_page.paper, {"kind": "xml"}, name="supplier-xml"),
    path("link/<str:token>/documents/<int:document_id>/", supplier_page.their_document, name="supplier-file"),
    path("orders/<int:order_id>/", answers.answer, name="answer"),
    path("<int:answer_id>/", answers.decide, name="decide"),
]
