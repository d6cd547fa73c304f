"""Settings of the tests: quick passwords, no pool, truncation allowed between tests."""

from northing.settings import *  # noqa: F403
from northing.settings import DATABASES, PACKAGE

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
DATABASES["default"]["OPTIONS"] = {"options": "-c northing.may_truncate=yes"}
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = False
FILES = str(PACKAGE.parent.parent / ".northing" / "test-files")
