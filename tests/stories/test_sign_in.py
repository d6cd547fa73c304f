"""A passkey, from the account page to signing in with it, held by the authenticator that Chromium brings for tests."""

HELD_HERE = {
    "protocol": "ctap2",
    "transport": "internal",
    "hasResidentKey": True,
    "hasUserVerification": True,
    "isUserVerified": True,
    "automaticPresenceSimulation": True,
}


def test_a_passkey_signs_in_alone_and_as_second_factor(stage):
    page = stage.page("dock")
    devices = page.context.new_cdp_session(page)
    devices.send("WebAuthn.enable")
    device = devices.send("WebAuthn.addVirtualAuthenticator", {"options": HELD_HERE})["authenticatorId"]
    page.goto(stage.base + "/access/account/")
    page.click("text=Add a passkey")
    page.fill("#id_password", "dock")
    page.click("main button.main")
    page.fill("#id_name", "The tablet at gate 4")
    page.click("main button.main")
    page.click("text=Your account")
    assert "The tablet at gate 4" in page.inner_text("main")
    page.click(".who button")
    page.click("text=Sign in with a passkey")
    page.wait_for_selector("h1:has-text('Watch')")
    page.click(".who button")
    page.fill("#id_login", "dock")
    page.fill("#id_password", "dock")
    page.click("button.main")
    page.click("text=Use a passkey")
    page.wait_for_selector("h1:has-text('Watch')")
    devices.send("WebAuthn.removeVirtualAuthenticator", {"authenticatorId": device})
