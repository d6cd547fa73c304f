"""axe looks at every page, by day and by night, as somebody who has every role and in a world that is lived in."""

from tests.desk.test_pages import addresses, everything, live_in


def test_nothing_serious_on_any_page(stage):
    world = stage.world
    live_in(world)
    everything(world)
    page, seen = stage.page("administrator"), 0
    for name, url, _ in list(addresses(world)):
        answer = page.request.get(stage.base + url)
        if answer.status != 200 or "text/html" not in answer.headers["content-type"]:
            continue  # it only takes forms, or is a file
        page.goto(stage.base + url)
        seen += 1
        for look in (stage.accessible, stage.accessible_by_night):
            try:
                look(page)
            except AssertionError as error:
                raise AssertionError(f"{name} {url}: {error}") from None
    assert seen >= 40
