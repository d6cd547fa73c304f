"""Settings of `./northing serve`: behind a proxy that speaks HTTPS and says so in `X-Forwarded-Proto`."""

from northing.settings import *  # noqa: F403
from northing.settings import SILENCED_SYSTEM_CHECKS, env

SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
BEHIND_PROXY = True
SECURE_SSL_REDIRECT = True
# A person who watches the process asks it directly.
SECURE_REDIRECT_EXEMPT = [r"^healthz$"]
SECURE_HSTS_SECONDS = env.int("HSTS_SECONDS", default=31_536_000)
# Promises for every name below the host, and for lists in browsers: only where the owner of the domain says so.
SECURE_HSTS_INCLUDE_SUBDOMAINS = env.bool("HSTS_SUBDOMAINS", default=False)
SECURE_HSTS_PRELOAD = env.bool("HSTS_PRELOAD", default=False)
# `check --deploy` would ask for both.
SILENCED_SYSTEM_CHECKS = [*SILENCED_SYSTEM_CHECKS, "security.W005", "security.W021"]
CSRF_TRUSTED_ORIGINS = env.list("TRUSTED_ORIGINS", default=[])
