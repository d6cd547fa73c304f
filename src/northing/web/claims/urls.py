"""Addresses of the step: claims."""

from django.urls import path

from northing.web.claims import returns, tending, views, ways
from northing.web.common.converters import one_of

one_of("way_of_case", ways.WAYS)
one_of("money_of_case", ways.MONEY)
one_of("tending", tending.TENDS)
one_of("debit_form", returns.DEBIT_FORMS)

urlpatterns = [
    path("<int:case_id>/", views.case, name="case"),
    path("<int:case_id>/take-back/", returns.take_back_into_store, name="take-back-case"),
    path("<int:case_id>/<way_of_case:way>/", ways.end_units, name="end-units"),
    path("<int:case_id>/money/<money_of_case:way>/", ways.case_money, name="case-money"),
    path("money/<int:money_id>/reverse/", ways.reverse_claim, name="reverse-claim"),
    path("authorised/<int:said_id>/reverse/", ways.reverse_authorisation, name="take-back-authorisation"),
    path("authorised/<int:said_id>/credit/", ways.credit_rest, name="credit-rest"),
    path("open/", tending.open_case, name="open-case"),
    path("<int:case_id>/close/", tending.close_case, name="close-case"),
    path("<int:case_id>/divide/", tending.divide_case, name="divide-case"),
    path("<int:case_id>/tend/<tending:way>/", tending.tend_case, name="tend-case"),
    path("<int:case_id>/ask/", ways.ask_about, name="ask-about"),
    path("<int:case_id>/paper/", ways.claim_pdf, name="claim-paper"),
    path("replacements/", ways.replacements, name="replacements"),
    path("ends/<int:end_id>/reverse/", ways.reverse_end_of_units, name="reverse-way"),
    path("aside/<int:layer_id>/", returns.aside, name="set-aside"),
    path("back/", returns.send_back, name="send-back"),
    path("goods/", returns.goods_returns, name="goods-returns"),
    path("goods.csv", returns.goods_returns_csv, name="goods-returns-csv"),
    path("goods/<int:return_id>/", returns.goods_return, name="goods-return"),
    path("goods/<int:return_id>/reverse/", returns.reverse_goods_return, name="reverse-goods-return"),
    path("goods.xlsx", returns.goods_returns_xlsx, name="goods-returns-xlsx"),
    path("goods/<int:return_id>/despatch/", returns.despatch, name="despatch-return"),
    path("goods/<int:return_id>/cancel/", returns.cancel_prepared, name="cancel-return"),
    path("goods/<int:return_id>/labels/", returns.return_labels, name="return-labels"),
    path("goods/<int:return_id>/xml/", returns.return_xml, name="return-xml"),
    path("goods/<int:return_id>/debit/<debit_form:form>/", returns.return_debit, name="return-debit"),
    path("<int:case_id>/debit/<debit_form:form>/", returns.case_debit, name="case-debit"),
    path("goods/<int:return_id>/note/", returns.return_note, name="return-note"),
    path("returns/<int:note_id>/reverse/", views.reverse_return, name="reverse-return"),
]
