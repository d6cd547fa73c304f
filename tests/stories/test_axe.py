"""axe looks at every page, by day and by night, as a person who has every role and in a world that is lived in."""

import pytest
from django.urls import reverse

from northing.masterdata.kinds import KINDS
from tests.lived_in import addresses, everything, live_in

# The pages that hold a component of their own; what the others are made of stands on these.
NIGHT = """account people watch find lines line answers chasers order new-order order-file load-new board chart
shipment notice receive quality case charge layer entry trial-balance record supplier"""
BY_NIGHT = NIGHT.split()


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_nothing_on_any_page(stage, scheme):
    world = stage.world
    live_in(world)
    everything(world)
    page, seen, wrong = stage.page("administrator"), 0, []
    page.emulate_media(color_scheme=scheme)
    pages = [(name, url) for name, url, _ in addresses(world)]
    pages += [("new-record", reverse("new-record", args=[kind])) for kind in KINDS]
    if scheme == "dark":
        pages = [(name, url) for name, url in pages if name in BY_NIGHT]
    outside = page.context.browser.new_page(color_scheme=scheme)
    outside.goto(stage.base + reverse("account_login"))
    stage.accessible(outside)
    for name, url in pages:
        answer = page.request.get(stage.base + url)
        if answer.status != 200 or "text/html" not in answer.headers["content-type"]:
            continue  # it only takes forms, or is a file
        page.goto(stage.base + url)
        seen += 1
        try:
            stage.accessible(page)
        except AssertionError as error:
            wrong.append(f"{name} {url}: {str(error).splitlines()[0]}")
    assert not wrong, "\n".join(wrong)
    assert seen >= (50 if scheme == "light" else len(BY_NIGHT) - 3)
