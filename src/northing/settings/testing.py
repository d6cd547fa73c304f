"""Settings of the tests: quick passwords, no pool, a cache of the process, truncation allowed between tests."""

from northing.settings import *  # noqa: F403
from northing.settings import DATABASES, PACKAGE

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
DATABASES["default"]["OPTIONS"] = {"options": "-c northing.may_truncate=yes"}
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = False
FILES = str(PACKAGE.parent.parent / ".northing" / "test-files")
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"}}
# Tests of the lock turn it on: who only signs in need not count tries.
AXES_ENABLED = False
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = True
PRIVATE_ADDRESSES = True
