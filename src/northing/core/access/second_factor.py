"""The second factor: one-time codes of six digits by time (RFC 6238 over RFC 4226, SHA-1, steps of 30 seconds)."""

import base64
import hmac
import secrets
import struct
from urllib.parse import quote

STEP, DIGITS, DRIFT = 30, 6, 1


def new_secret() -> str:
    """A secret of 160 random bits, as people type it: base32."""
    return base64.b32encode(secrets.token_bytes(20)).decode()


def code_at(secret: str, step: int) -> str:
    """The code of a step of time.

    >>> code_at(base64.b32encode(b"12345678901234567890").decode(), 59 // 30)
    '287082'
    """
    digest = hmac.digest(base64.b32decode(secret), struct.pack(">Q", step), "sha1")
    place = digest[-1] & 15
    number = struct.unpack(">I", digest[place : place + 4])[0] & 0x7FFFFFFF
    return f"{number % 10**DIGITS:0{DIGITS}d}"


def step_of(secret: str, code: str, seconds: float, last: int = 0) -> int | None:
    """The step whose code this is, at most one step off and never one that was used before; None when there is none."""
    now = int(seconds // STEP)
    for step in range(now - DRIFT, now + DRIFT + 1):
        if step > last and hmac.compare_digest(code_at(secret, step), code):
            return step
    return None


def address(secret: str, who: str) -> str:
    """The address that an authenticator takes: the key-URI form.

    >>> address("ABC", "ilva")
    'otpauth://totp/Northing:ilva?secret=ABC&issuer=Northing'
    """
    return f"otpauth://totp/Northing:{quote(who)}?secret={secret}&issuer=Northing"
