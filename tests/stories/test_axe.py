"""axe and our manners on every page, as a person who has every role and in a world that is lived in."""

from django.test import Client
from django.urls import reverse

from tests.lived_in import addresses, everything, live_in

# The pages that hold a component of their own; what the others are made of stands on these.
NIGHT = """account people watch find lines line answers chasers order new-order order-file load-new board chart
shipment notice receive quality case charge layer entry trial-balance record supplier"""
BY_NIGHT = NIGHT.split()
PHONE, DESK = {"width": 390, "height": 844}, {"width": 1280, "height": 800}
# The forms of the directory are made by one template: the long ones, and one with lists of records.
DIRECTORY = ("supplier", "item", "company", "free-time")


# No id twice, no page wider than its window, no day as a machine writes it, no form that does not begin in a field.
MANNERS = r"""() => {
  const found = [], seen = new Set();
  for (const { id } of document.querySelectorAll("[id]")) {
    if (seen.has(id)) found.push(`the id ${id} twice`);
    seen.add(id);
  }
  const wide = document.documentElement.scrollWidth - innerWidth;
  if (wide > 1) found.push(`${wide} pixels wider than the window`);
  const text = document.querySelector("main").innerText;
  const days = text.match(/\b20\d\d-\d\d-\d\d\b/g);
  if (days && !document.querySelector("main pre")) found.push(`days as ${days[0]}`);
  const field = "input:not([type=hidden], [type=checkbox], [type=file]), select";
  const within = `main form[method=post]:has(${field}):not(table form, .story form, .many, .head form)`;
  const forms = [...document.querySelectorAll(within)];
  const form = forms.length === 1 ? forms[0] : null;
  for (const label of document.querySelectorAll("main label, main [aria-label]")) {
    const words = label.getAttribute("aria-label") ?? label.textContent;
    if (/\b[A-Z]?[a-z]+-\d+\b/.test(words)) found.push(`a field is called ${words.trim()}`);
  }
  // A supplier's page is read before it is answered.
  const idle = document.activeElement === document.body && document.getElementById("keys");
  if (idle && form?.checkVisibility()) found.push("the hand is in no field");
  return found;
}"""


def test_nothing_on_any_page(stage):
    world = stage.world
    live_in(world)
    everything(world)
    client, seen, wrong = Client(), [], []
    client.force_login(world.people["administrator"])
    page, outside = stage.page("administrator"), stage.browser.new_page()
    for name, url in pages_of(world):
        answer = client.get(url)
        if answer.status_code != 200 or "text/html" not in answer.headers["Content-Type"]:
            continue  # it only takes forms, or is a file
        seen.append(name)
        page.goto(stage.base + url)
        wrong += [f"{name} {url}: {fault}" for fault in page.evaluate(MANNERS)]
        page.set_viewport_size(PHONE)
        wide = page.evaluate("document.documentElement.scrollWidth - innerWidth")
        wrong += [f"{name} {url}: {wide} pixels wider than a phone"] if wide > 1 else []
        page.set_viewport_size(DESK)
        wrong += look(stage, page, name, url)
    outside.goto(stage.base + reverse("account_login"))
    wrong += look(stage, outside, "account_login", "")
    assert not wrong, "\n".join(wrong)
    assert len(seen) >= 50 and len(set(BY_NIGHT) & set(seen)) >= len(BY_NIGHT) - 1


def pages_of(world):
    """The pages' names and addresses."""
    yield from ((name, url) for name, url, _ in addresses(world))
    yield from (("new-record", reverse("new-record", args=[kind])) for kind in DIRECTORY)


def look(stage, page, name, url):
    """The findings of axe on the page; contrast takes most of its time, and is that of the components."""
    component = name in (*BY_NIGHT, "account_login")
    for scheme in ("light", "dark") if component else ("light",):
        page.emulate_media(color_scheme=scheme)
        found = stage.found(page, contrast=component, only_contrast=scheme == "dark")
        if found:
            yield f"{name} {url}, {scheme}: {found}"
    page.emulate_media(color_scheme="light")
