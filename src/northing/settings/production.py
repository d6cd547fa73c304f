"""Settings of `./northing serve`: behind a proxy that speaks HTTPS and says so in `X-Forwarded-Proto`."""

from northing.settings import *  # noqa: F403
from northing.settings import env

SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
BEHIND_PROXY = True
SECURE_SSL_REDIRECT = True
# A person who watches the process asks it directly.
SECURE_REDIRECT_EXEMPT = [r"^healthz$"]
SECURE_HSTS_SECONDS = env.int("HSTS_SECONDS", default=31_536_000)
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
SECURE_HSTS_PRELOAD = True
CSRF_TRUSTED_ORIGINS = env.list("TRUSTED_ORIGINS", default=[])
