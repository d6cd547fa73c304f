"""Debian's Chromium, driven by Playwright."""

from playwright.sync_api import Browser, Page, Playwright

from northing.demo.people import PASSWORD

CHROMIUM = "/usr/bin/chromium"
# Milliseconds to wait for the browser on a machine that does much else.
PATIENCE = 120_000
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def launch(playwright: Playwright) -> Browser:
    """A headless browser that talks to no one but us."""
    return playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET, timeout=PATIENCE)


def sign_in(page: Page, base: str, who: str, password: str = PASSWORD) -> None:
    """Sign in and stand on the Watch."""
    page.goto(f"{base}/access/sign-in/")
    page.fill("#id_login", who)
    page.fill("#id_password", password)
    page.click("button.main")
    page.wait_for_selector("h1:has-text('Watch')")
