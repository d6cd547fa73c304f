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
    "lines": ("ilva", "/orders/lines/?where=open", []),
    "line": ("ilva", "/orders/lines/?where=all,+of+KET-17,+units+rejected", ["^KLN-"]),
    "new-order": ("ilva", "/orders/new/", []),
    "answers": ("ilva", "/confirmations/", []),
    "supplier": ("ilva", "/masterdata/suppliers/2/", []),
    "chart": ("hanne", "/shipping/chart/", []),
    "load": ("hanne", "/shipping/load/?port=CNNGB&all=1", []),
    "board": ("hanne", "/shipping/board/", []),
    "inspect": ("odo", "/quality/", ["^Inspect$"]),
    "shipment": ("hanne", "/shipping/", ["^S-00007$"]),
    "dock": ("rua", "/receiving/", []),
    "cost-trail": ("pell", "/orders/lines/?where=all,+of+KET-17,+units+rejected", ["^KLN-", "^Stock,"]),
    "bill": ("maris", "/billing/goods/", []),
    "to-pay": ("maris", "/payments/", []),
    "putaway": ("rua", "/inventory/putaway/?site=TRG", []),
    "receive": ("rua", "/receiving/", ["^Receive$"]),
    "case": ("odo", "/quality/", ["^Case 2$"]),
    "stock": ("maris", "/inventory/", []),
}


def propose(page: Page) -> None:
    """A loading as it is proposed."""
    page.select_option("#id_route", "Ningbo to Melbourne")
    page.click("#propose")
    page.wait_for_selector("th.box:nth-of-type(5)")


def enter_bill(page: Page) -> None:
    """A supplier's bill whose first price is above the agreed one; it is shown and not booked."""
    page.locator("a:text-is('Enter the bill')").first.click()
    page.fill("[name=bill_number]", "DL-7741")
    price = page.locator("[name^=price-]").first
    price.fill(f"{float(price.input_value()) * 1.04:.3f}")
    with page.expect_response(lambda answer: answer.request.method == "POST"):
        page.press("[name^=price-] >> nth=0", "Tab")
    page.wait_for_selector("#effect .finding, #effect table")


def as_supplier(page: Page) -> None:
    """The page that opens by a link."""
    page.click("button:has-text('Make a link')")
    link = page.input_value("input[readonly]")
    page.goto("/".join(page.url.split("/")[:3]) + link[link.index("/confirmations/link/") :])


# What is done before the picture is taken.
STEPS = {"load": propose, "supplier": as_supplier, "bill": enter_bill}


def take(page: Page, base: str, name: str, folder: Path) -> None:
    """One view as a PNG of 1280 by 800."""
    _, start, links = VIEWS[name]
    page.goto(base + start)
    for text in links:
        page.locator("main").get_by_role("link", name=re.compile(text)).first.click()
    if name in STEPS:
        STEPS[name](page)
    page.wait_for_load_state("networkidle")
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
