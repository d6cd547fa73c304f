"""Which function does what, by name: jobs of the worker, and what letters are made of."""

JOB_HANDLERS = {
    "accept_answers": "northing.actions.confirmations.jobs.accept_answers",
    "decide_answers": "northing.actions.confirmations.jobs.decide_answers",
    "pay_bills": "northing.actions.payments.jobs.pay_bills",
    "send_back": "northing.actions.claims.jobs.send_back",
    "chase_lines": "northing.actions.confirmations.jobs.chase_lines",
    "set_need_by": "northing.actions.orders.jobs.set_need_bys",
    "assign_buyer": "northing.actions.orders.jobs.assign_buyers",
    "read_orders": "northing.actions.orders.jobs.read_orders",
    "take_orders": "northing.actions.orders.jobs.take_orders",
    "keep_rows": "northing.actions.masterdata.jobs.keep_rows",
    "tariff_change": "northing.actions.customs.tariff_changes.reckon",
    "hear_events": "northing.actions.shipping.jobs.hear_events",
    "lines_xlsx": "northing.web.orders.jobs.lines_xlsx",
    "dock_sheet": "northing.web.receiving.jobs.sheet",
    "receipts_xlsx": "northing.web.receiving.jobs.receipts_xlsx",
}
# What is filled in only when the letter goes, so that no secret of it is stored: words -> function of the message.
LETTER_FILLERS = {"{supplier link}": "northing.actions.confirmations.supplier_links.link_for"}
# Documents that are made when the letter goes: maker -> function from an id, and from what is
# filled in, to (name, type, content) of each.
LETTER_FILES = {
    "order": "northing.orders.documents.order_documents",
    "claim": "northing.reports.claim_paper.claim_files",
    "remittance": "northing.reports.remittance.remittance_files",
}
# Called with the message when a letter was sent, was put off, or has failed.
LETTER_LISTENERS = ["northing.actions.worklist.letters.letter_changed"]
