"""Remakes docs/screenshots from the running demo: `./northing shots [NAME ...]`."""

import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.browser import launch, sign_in

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
# name -> (who, where to start, text of links to follow from there)
VIEWS = {
    "watch": ("ilva", "/", []),
    "lines": ("ilva", "/lines/", []),
    "line": ("ilva", "/lines/?show=all&q=KET-17&place=rejected", ["^KLN-"]),
    "order": ("tobin", "/?party=us", ["KLN-0000[0-9] line", "^KLN-0000[0-9]$"]),
    "new-order": ("ilva", "/orders/new/", []),
    "passage": ("hanne", "/passage/", []),
    "shipment": ("pell", "/passage/", ["^S-00003$"]),
    "charge": ("pell", "/costs/", ["^Freight$"]),
    "cost-trail": ("pell", "/lines/?show=all&q=KET-17&place=rejected", ["^KLN-", "^Stock,"]),
    "dock": ("rua", "/dock/", []),
    "receive": ("rua", "/dock/", ["^Receive$"]),
    "quality": ("odo", "/quality/", []),
    "case": ("odo", "/quality/", ["^Case"]),
    "stock": ("maris", "/stock/", []),
    "item": ("rua", "/stock/?q=KET-17", ["^KET-17$"]),
    "trial-balance": ("maris", "/ledger/trial-balance/", []),
}


def take(page: Page, base: str, name: str, folder: Path) -> None:
    """One view as a PNG of 1280 by 800."""
    _, start, links = VIEWS[name]
    page.goto(base + start)
    for text in links:
        page.locator("main").get_by_role("link", name=re.compile(text)).first.click()
    page.wait_for_load_state()
    page.screenshot(path=folder / f"{name}.png")
    print(f"{name}: {page.url}")


def main(base: str, names: list[str], scheme: str = "light", folder: Path = FOLDER) -> None:
    """Take the named views, or all of them."""
    folder.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = launch(playwright)
        pages: dict[str, Page] = {}
        for name in names or VIEWS:
            who = VIEWS[name][0]
            if who not in pages:
                context = browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme=scheme)
                pages[who] = context.new_page()
                sign_in(pages[who], base, who)
            take(pages[who], base, name, folder)
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2:])
