"""The order desk in the browser: a morning round, a supplier on a phone, a revision, 300 answers accepted at once."""

from datetime import timedelta
from decimal import Decimal as D

from playwright.sync_api import expect

from northing.actions.confirmations import answers, supplier_links
from northing.actions.orders import amend, send, write
from northing.confirmations.models import Answer
from northing.jobs import jobs
from northing.jobs.models import Job
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.orders.models import Instalment, PurchaseOrder
from northing.reports.proofs import position_faults
from tests.worlds import TODAY

LATER = timedelta(days=9)


def answered_later(world, order):
    """The supplier says nine days later to every line of the order."""
    parts = Instalment.objects.filter(line__order=order)
    rows = tuple(answers.AnswerRow(part.pk, part.quantity, part.asked_on + LATER, part.pack_price) for part in parts)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "SO-9", TODAY, rows))


def test_a_morning_round_of_an_expediter(stage):
    world = stage.world
    Party.objects.filter(kind="supplier").update(email="orders@supplier.example")
    late = world.sent_order({"A": D(240)}, agreed=False)
    world.sent_order({"B": D(50)}, agreed=False)
    answered_later(world, late)
    page = stage.page("expediter", "/")
    expect(page.locator("tr.needs")).to_have_count(1)
    stage.accessible(page)
    # One act, the page being open: the answer is accepted.
    page.click("tr.needs button:has-text('Accept')")
    expect(page.locator("tr.needs")).to_have_count(0)
    assert Instalment.objects.get(line__order=late).promise
    # Chase all the unanswered lines of a supplier.
    page.click("button:has-text('Chase')")
    expect(page.locator("main")).to_contain_text("The chaser goes to orders@supplier.example")
    assert Message.objects.filter(kind="chaser").count() == 1
    # What breaks a need-by date, by a sentence; a line opens beside the list by the keyboard.
    page = stage.page("expediter", "/orders/lines/")
    page.fill("input#where", "from Supplier USD")
    # With the new page whole, its script included: a key that comes before it would be the browser's own.
    with page.expect_navigation():
        page.press("input#where", "Enter")
    expect(page.locator("tr[data-line]")).to_have_count(1)
    page.locator("tr[data-line] a").first.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#beside")).to_contain_text("Where every unit is")
    stage.accessible(page)
    page.reload()
    expect(page.locator("#beside")).to_contain_text("Where every unit is")
    # Move an instalment's date and tell the supplier: open, type, press.
    line = Instalment.objects.get(line__order=late).line_id
    page = stage.page("expediter", f"/orders/lines/{line}/")
    page.locator("form.parts input[type=date]").first.fill("2027-02-20")
    page.click("form.parts button")
    expect(page.locator("main")).to_contain_text("The supplier is asked for the parts")
    assert Message.objects.filter(kind="order", subject__contains="revision 2").exists()
    stage.accessible(page)


def test_a_supplier_on_a_phone(stage):
    world = stage.world
    order = world.sent_order({"A": D(240), "C": D(900)}, agreed=False)
    link = supplier_links.invite(world.act("expediter"), supplier_links.InviteRequest(world.parties["USD"].pk))
    context = stage.browser.new_context(viewport={"width": 390, "height": 844})
    page = context.new_page()
    page.goto(stage.base + "/confirmations/link/" + link.rstrip("/").rpartition("/")[2] + "/")
    width = page.evaluate("document.documentElement.scrollWidth")
    assert width <= 390, f"the page is {width} wide"
    stage.accessible(page)
    kettles = Instalment.objects.get(line__order=order, line__item__code="A")
    page.fill(f"input[name='ready-{kettles.pk}']", (kettles.asked_on + LATER).isoformat())
    page.locator(f"tr:has(input[name='remark-{kettles.pk}']) summary").click()
    page.fill(f"input[name='remark-{kettles.pk}']", "The mould is late")
    page.locator("button:has-text('Send the answer')").first.click()
    expect(page.locator("main")).to_contain_text("Thank you")
    expect(page.locator("main")).to_contain_text("we have not decided yet")
    stage.accessible(page)
    assert Answer.objects.get(outcome="open").remark == "The mould is late"
    assert Instalment.objects.get(line__item__code="C").agreed_quantity == 900
    inside = stage.page("expediter", "/confirmations/")
    expect(inside.locator("main")).to_contain_text("The mould is late")
    inside.keyboard.press("a")
    expect(inside.locator("main")).to_contain_text("No answer waits for us")


def test_a_revision(stage):
    world = stage.world
    order = world.sent_order({"A": D(240), "C": D(900)})
    page = stage.page("expediter", f"/orders/{order.pk}/")
    page.click("main a:text-is('Change')")
    line = world.line("A")
    page.fill(f"input[name='line-{line.pk}-quantity']", "300")
    page.fill("#id_remark", "Sixty more for the south")
    page.click("button:has-text('See what changes')")
    expect(page.locator("#preview")).to_contain_text("240")
    expect(page.locator("#preview")).to_contain_text("Nothing that was agreed has to be agreed again")
    stage.accessible(page)
    # Another person changes it meanwhile; nothing that was typed is lost.
    amend.set_need_by(world.act("expediter"), amend.NeedByRequest(line.pk, TODAY + timedelta(days=120)))
    page.click("button:has-text('Send revision')")
    expect(page.locator("main")).to_contain_text("Another person has changed this order")
    expect(page.locator(f"input[name='line-{line.pk}-quantity']")).to_have_value("300")
    page.fill(f"input[name='line-{line.pk}-need_by']", (TODAY + timedelta(days=120)).isoformat())
    page.click("button:has-text('See what changes')")
    page.click("button:has-text('Send revision')")
    expect(page.locator("main")).to_contain_text("revision 2 goes to")
    expect(page.locator(".story")).to_contain_text("Sixty more for the south")
    page.fill("#said", "remark")
    page.press("#said", "Enter")
    expect(page.locator(".story")).to_contain_text("Sixty more for the south")
    stage.accessible(page)
    page.goto(f"{stage.base}/orders/{order.pk}/cancel/")
    stage.accessible(page)
    page.uncheck(f"input[value='{line.pk}']")
    page.click("button:has-text('Cancel the picked lines')")
    expect(page.locator(".story")).to_contain_text("line 2")
    assert position_faults() == []


def test_three_hundred_answers_are_accepted_at_once(stage):
    world = stage.world
    for _ in range(3):
        lines = [("A", D(n + 1)) for n in range(100)]
        answered_later(world, many_lines(world, lines))
    assert Answer.objects.filter(outcome="open").count() == 300
    page = stage.page("expediter", "/orders/lines/?where=answer+waits")
    if page.locator("tr[data-line]").count() == 0:
        page = stage.page("expediter", "/orders/lines/?where=open")
    page.check("#all")
    page.click("button:has-text('Accept answers')")
    expect(page.locator("main")).to_contain_text("300")
    stage.accessible(page)
    page.click("button:has-text('Accept (300)')")
    expect(page.locator("#far")).to_contain_text("of 300")
    jobs.run(Job.objects.get().pk)
    expect(page.locator("main")).to_contain_text("Done")
    assert Answer.objects.filter(outcome="accepted").count() == 300
    assert not Answer.objects.filter(outcome="open").exists()


def many_lines(world, lines):
    """A sent order of that many lines."""
    asked = tuple(write.LineRequest(item, "", quantity) for item, quantity in lines)
    need_by = TODAY + timedelta(days=90)
    request = write.OrderRequest(world.nz.pk, world.parties["USD"].pk, world.site.pk, "FOB", "on_board", need_by, asked)
    return PurchaseOrder.objects.get(pk=send.place_order(world.act("expediter"), request))
