"""How smoothly a page scrolls in the browser: the time between frames while it is scrolled from top to foot."""

import threading
from wsgiref.simple_server import WSGIRequestHandler, make_server

from django.test import Client
from playwright.sync_api import sync_playwright
from tests.browser import launch

from northing.wsgi import application

FRAMES = """async (selector) => {
  const sheet = document.querySelector(selector);
  const step = Math.max((sheet.scrollHeight - sheet.clientHeight) / 240, 20);
  const times = [];
  let last = await new Promise(requestAnimationFrame);
  for (let frame = 0; frame < 240; frame += 1) {
    sheet.scrollBy(0, step);
    const now = await new Promise(requestAnimationFrame);
    times.push(now - last);
    last = now;
  }
  times.sort((a, b) => a - b);
  return [sheet.scrollHeight, times[120], times[228], times[239]];
}"""


class _Quiet(WSGIRequestHandler):
    def log_message(self, *_):
        pass


def scrolled(client: Client, path: str, selector: str) -> str:
    """Height, and the middle, the 95th of a hundred and the longest of 240 frames."""
    server = make_server("127.0.0.1", 0, application, handler_class=_Quiet)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    base = f"http://127.0.0.1:{server.server_port}"
    with sync_playwright() as playwright:
        browser = launch(playwright)
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        session = client.cookies["sessionid"].value
        context.add_cookies([{"name": "sessionid", "value": session, "url": base}])
        page = context.new_page()
        page.goto(base + path)
        page.wait_for_selector(selector)
        high, middle, most, longest = page.evaluate(FRAMES, selector)
        browser.close()
    server.shutdown()
    return f"{high:,} px high; frames {middle:.0f} ms in the middle, 95 of 100 within {most:.0f}, longest {longest:.0f}"
