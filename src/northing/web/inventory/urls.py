"""Addresses of the step: inventory."""

from django.urls import path

from northing.web.inventory.views import moves, stock, transfers

urlpatterns = [
    path("issues/<int:issue_id>/take-back/", stock.take_back_issue, name="take-back-issue"),
    path("openings/<int:opening_id>/reverse/", stock.reverse_opening, name="reverse-opening"),
    path("layers/<int:layer_id>/move/", stock.move, name="move-goods"),
    path("<int:item_id>/count/", stock.adjust, name="adjust-stock"),
    path("counts/<int:count_id>/reverse/", stock.reverse_adjustment, name="reverse-adjustment"),
    path("putaway/", moves.putaway, name="putaway"),
    path("bins/", stock.lying, name="lying"),
    path("bins/<int:bin_id>/", moves.in_bin, name="bin"),
    path("moves/<int:move_id>/undo/", moves.undo_move, name="undo-move"),
    path("transfers/", transfers.transfers, name="transfers"),
    path("transfers/<int:transfer_id>/", transfers.transfer, name="transfer"),
    path("scan/", moves.scan, name="stock-scan"),
    path("", stock.stock, name="stock"),
    path("<int:item_id>/", stock.item, name="item"),
]
