"""Addresses of the step: shipping."""

from django.urls import path

from northing.web.common.converters import one_of
from northing.web.shipping.views import (
    arrival_calendars,
    board,
    carrier_events,
    chart,
    despatch_notices,
    loading,
    shipments,
    voyages,
)

for _name, _words in (("voyage_happening", voyages.TO_VOYAGES), ("shipment_happening", voyages.TO_SHIPMENTS)):
    one_of(_name, _words)

urlpatterns = [
    path("calendar/<str:token>/arrivals.ics", arrival_calendars.arrivals, name="arrivals"),
    path("sites/<int:site_id>/calendar/", arrival_calendars.make, name="make-feed"),
    path("sites/<int:site_id>/calendar/end/", arrival_calendars.end, name="end-feeds"),
    path("", shipments.shipments, name="passage"),
    path("events/", carrier_events.events, name="events"),
    path("moved/<int:ripple_id>/", carrier_events.moved, name="moved"),
    path("events/feed/", carrier_events.set_feed, name="set-feed"),
    path("events/<int:event_id>/again/", carrier_events.event, {"what": "again"}, name="event-again"),
    path("events/<int:event_id>/tie/", voyages.tie_event, name="tie-event"),
    path("events/<int:event_id>/drop/", carrier_events.event, {"what": "drop"}, name="drop-event"),
    path("board/", board.passage_board, name="board"),
    path("chart/", chart.passage_chart, name="chart"),
    path("loading/", loading.loading_list, name="loading-list"),
    path("load/", loading.load_new, name="load-new"),
    path("load/propose/", loading.propose_loading, name="propose-loading"),
    path("<int:shipment_id>/load/", loading.load, name="load"),
    path("voyages/new/", shipments.new_voyage, name="new-voyage"),
    path("voyages/<int:voyage_id>/", voyages.voyage, name="voyage"),
    path("voyages/<int:voyage_id>/<voyage_happening:name>/", voyages.voyage_happens, name="voyage-happens"),
    path("said/<int:statement_id>/take-back/", voyages.take_back, name="take-back"),
    path("<int:shipment_id>/<shipment_happening:name>/", voyages.shipment_happens, name="shipment-happens"),
    path("<int:shipment_id>/", shipments.shipment, name="shipment"),
    path("<int:shipment_id>/plan/", shipments.plan, name="plan"),
    path("<int:shipment_id>/papers/", shipments.require_document, name="ask-paper"),
    path("<int:shipment_id>/papers/usual/", shipments.require_usual_documents, name="usual-papers"),
    path("papers/<int:paper_id>/", shipments.complete_document, name="complete-document"),
    path("<int:shipment_id>/list.pdf", shipments.packing_list, {"kind": "pdf"}, name="packing-pdf"),
    path("<int:shipment_id>/list.csv", shipments.packing_list, {"kind": "csv"}, name="packing-csv"),
    path("<int:shipment_id>/list.xlsx", shipments.packing_list, {"kind": "xlsx"}, name="packing-xlsx"),
    path("<int:shipment_id>/despatch/<int:supplier_id>/<int:company_id>.xml", shipments.advice, name="advice"),
    path("notices/", despatch_notices.notices, name="notices"),
    path("notices/<int:notice_id>/", despatch_notices.notice, name="notice"),
    path("notices/<int:notice_id>/drop/", despatch_notices.drop_notice, name="drop-notice"),
    path("<int:shipment_id>/date/", shipments.say_date, name="say-date"),
    path("<int:shipment_id>/containers/", shipments.say_boxes, name="say-boxes"),
]
