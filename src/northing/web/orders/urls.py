"""Addresses of the step: orders."""

from django.urls import path

from northing.web.orders import landed
from northing.web.orders.views import documents, files, lines, many, orders, revise, ways

urlpatterns = [
    path("lines/", lines.lines, name="lines"),
    path("lines/<int:line_id>/", lines.line, name="line"),
    path("lines/<int:line_id>/ways/", ways.ways, name="line-ways"),
    path("lines/<int:line_id>/parts/", revise.parts, name="line-parts"),
    path("lines/csv/", lines.export_lines, {"kind": "csv"}, name="lines-csv"),
    path("lines/xlsx/", lines.export_lines, {"kind": "xlsx"}, name="lines-xlsx"),
    path("lines/views/", lines.save_view, name="save-view"),
    path("lines/views/<int:view_id>/forget/", lines.forget_view, name="forget-view"),
    path("lines/many/accept/", many.many, {"name": "accept"}, name="many-accept"),
    path("lines/many/need-by/", many.many, {"name": "need-by"}, name="many-need-by"),
    path("lines/many/chase/", many.many, {"name": "chase"}, name="many-chase"),
    path("lines/many/buyer/", many.many, {"name": "buyer"}, name="many-buyer"),
    path("", orders.orders, name="orders"),
    path("new/", orders.new_order, name="new-order"),
    path("files/", files.files, name="order-files"),
    path("files/example.csv", files.example, name="order-file-example"),
    path("files/<int:file_id>/", files.file, name="order-file"),
    path("files/<int:file_id>/take/", files.take, name="take-order-file"),
    path("files/<int:file_id>/wrong/", files.wrong, name="wrong-rows"),
    path("quote/", orders.quote, name="quote"),
    path("items/", orders.items, name="items"),
    path("usual/", orders.usual, name="usual"),
    path("landed/", landed.new, name="landed"),
    path("lines/<int:line_id>/landed/", landed.parts, name="landed-parts"),
    path("<int:order_id>/landed/", landed.changed, name="landed-change"),
    path("incoterm/", orders.incoterm, name="incoterm"),
    path("<int:order_id>/", orders.order, name="order"),
    path("<int:order_id>/check/", orders.order_step, {"step": "check"}, name="check"),
    path("<int:order_id>/approve/", orders.order_step, {"step": "approve"}, name="approve"),
    path("<int:order_id>/approve-and-send/", orders.order_step, {"step": "approve-and-send"}, name="approve-and-send"),
    path("<int:order_id>/send/", orders.order_step, {"step": "send"}, name="send"),
    path("<int:order_id>/change/", revise.change, name="change-order"),
    path("<int:order_id>/cancel/", revise.stop, {"name": "cancel"}, name="cancel-order"),
    path("<int:order_id>/reopen/", revise.stop, {"name": "reopen"}, name="reopen-order"),
    path("<int:order_id>/take-back/", revise.stop, {"name": "take-back"}, name="take-back-order"),
    path("<int:order_id>/papers/<int:number>.pdf", documents.order_paper, {"kind": "pdf"}, name="order-pdf"),
    path("<int:order_id>/papers/<int:number>.xml", documents.order_paper, {"kind": "xml"}, name="order-xml"),
]
