"""A browser, a live server, and the small world on its day."""

import os

import pytest
import time_machine
from axe_playwright_python.sync_playwright import Axe
from django.conf import settings
from django.contrib.staticfiles.handlers import StaticFilesHandler
from django.db import connection
from django.test import Client
from playwright.sync_api import expect, sync_playwright

from tests.browser import PATIENCE, launch
from tests.worlds import NOW, small_world

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
# A machine that does much else answers late; what never comes fails all the same.
expect.set_options(timeout=60_000)


def _kept(serve):
    """A browser keeps scripts, styles and fonts, as it does from the real server."""

    def serve_and_keep(handler, request):
        response = serve(handler, request)
        # Long: the server's clock stands days before the browser's.
        response["Cache-Control"] = "max-age=31536000"
        return response

    return serve_and_keep


StaticFilesHandler.serve = _kept(StaticFilesHandler.serve)

# An act of the hand: a button or link pressed, a field changed, a key that acts by itself.
COUNT = """
  for (const [what, counts] of [
    ["click", (at) => at.closest("a, button, summary")],
    ["change", () => true],
    ["keydown", (at, key) => key === "=" || (key === "Enter" && at.closest("input, body"))],
  ]) document.addEventListener(what, (event) => {
    if ((event.isTrusted || event.target.matches("select")) && counts(event.target, event.key)) window.acted(what);
  }, true);
"""


def counted(page):
    """The acts of the hand on a page from now on, as the browser sees them; the list grows with each."""
    acts = []
    page.expose_function("acted", lambda what: acts.append(what))
    page.add_init_script(COUNT)
    page.evaluate(COUNT)
    return acts


class Stage:
    """People at their own browsers, all looking at one server."""

    def __init__(self, browser, base, world):
        self.browser, self.base, self.world, self.pages = browser, base, world, {}
        self.axe = Axe().axe_script

    def page(self, who, path=""):
        """The page of one of the people, signed in, gone to `path`."""
        if who not in self.pages:
            context = self.browser.new_context(viewport={"width": 1280, "height": 800})
            context.add_cookies([self._session_of(who)])
            context.set_default_timeout(PATIENCE)
            self.pages[who] = context.new_page()
            self.pages[who].on("pageerror", lambda error: pytest.fail(f"script error: {error}"))
            if not path:
                self.pages[who].goto(self.base)
        if path:
            answer = self.pages[who].goto(self.base + path)
            assert answer.status < 400, f"{path}: {answer.status}"
        return self.pages[who]

    def _session_of(self, who):
        """The cookie of a person who has signed in; signing in itself has a story of its own."""
        client = Client()
        client.force_login(self.world.people[who])
        name = settings.SESSION_COOKIE_NAME
        return {"name": name, "value": client.cookies[name].value, "url": self.base}

    def accessible(self, page):
        """Nothing by axe, of whatever weight. Contrast takes most of its time: each page is looked at once."""
        found = self.found(page)
        assert not found, found

    def found(self, page, *, contrast=False, only_contrast=False):
        """The findings of axe: rule, and the first elements."""
        asked = {"resultTypes": ["violations"], "rules": {"color-contrast": {"enabled": contrast}}}
        if only_contrast:
            asked["runOnly"] = ["color-contrast"]
        if not page.evaluate("'axe' in window"):
            page.evaluate(self.axe)
        # Only what is wrong crosses over: all that is right is megabytes.
        violations = page.evaluate("asked => axe.run(asked).then(found => found.violations)", asked)
        return [(one["id"], [node["html"][:120] for node in one["nodes"][:3]]) for one in violations]


@pytest.fixture(scope="session")
def no_session_left(django_db_setup, django_db_blocker):
    """The server's threads keep their connections; they are ended before the database is dropped."""
    yield
    with django_db_blocker.unblock(), connection.cursor() as cursor:
        cursor.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity"
            " where datname = current_database() and pid <> pg_backend_pid()"
        )


@pytest.fixture
def stage(no_session_left, live_server, transactional_db):
    """The stage of a story."""
    with time_machine.travel(NOW, tick=True), sync_playwright() as playwright:
        # Playwright's loop has a connection of its own here; that of the story before is gone with its database.
        connection.close()
        browser = launch(playwright)
        yield Stage(browser, live_server.url, small_world())
        browser.close()
