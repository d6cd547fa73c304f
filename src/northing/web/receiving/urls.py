"""Addresses of the step: receiving."""

from django.urls import path

from northing.web.receiving.views import dock, held, papers, receipt, receipts, receive, scanner, teach, told

urlpatterns = [
    path("", dock.dock, name="dock"),
    path("<int:container_id>/<int:site_id>/", receive.receive, name="receive"),
    path("orders/<int:order_id>/", receive.receive_order, name="receive-order"),
    path("suppliers/<int:supplier_id>/<int:site_id>/", receive.receive_supplier, name="receive-supplier"),
    path("shipments/<int:shipment_id>/<int:site_id>/", receive.receive_shipment, name="receive-shipment"),
    path("unordered/<int:site_id>/", receive.receive_unordered, name="receive-unordered"),
    path("scan/", receive.scan, name="scan"),
    path("teach/", teach.teach, name="teach"),
    path("held/<int:layer_id>/", held.held_goods, name="held"),
    path("held/decisions/<int:decision_id>/reverse/", held.reverse_held, name="reverse-held"),
    path("short/<int:question_id>/", held.short, name="short"),
    path("scanner/", scanner.scanner, name="scanner"),
    path("worker.js", dock.worker, name="dock-worker"),
    path("sheet/", dock.sheet, name="dock-sheet"),
    path("receipts/", receipts.receipts, name="receipts"),
    path("receipts/workbook/", receipts.receipts_workbook, name="receipts-workbook"),
    path("receipts/<int:receipt_id>/", receipt.receipt, name="receipt"),
    path("told/", told.told_receipts, name="told-receipts"),
    path("told/<int:told_id>/", told.told_receipt, name="told-receipt"),
    path("told/<int:told_id>/drop/", told.drop_told, name="drop-told"),
    path("receipts/lines/<int:receipt_line_id>/correct/", receipt.correct, name="correct-receipt"),
    path("receipts/<int:receipt_id>/labels.pdf", papers.labels, name="receipt-labels"),
    path("notices/<int:notice_id>/labels.pdf", papers.labels_of_notice, name="notice-labels"),
    path("items/<int:item_id>/labels.pdf", papers.labels_of_item, name="item-labels"),
    path("sites/<int:site_id>/bins.pdf", papers.labels_of_bins, name="bin-labels"),
    path("receipts/<int:receipt_id>/advice.xml", papers.advice, name="receipt-advice"),
    path("receipts/<int:receipt_id>/paper.pdf", papers.paper, name="receipt-paper"),
]
