"""Settings from the environment, with safe defaults."""

from pathlib import Path

import environ

from northing.settings.logs import *  # noqa: F403
from northing.settings.sign_in import *  # noqa: F403
from northing.settings.tables import JOB_HANDLERS, LETTER_FILES, LETTER_FILLERS, LETTER_LISTENERS  # noqa: F401

env = environ.Env()
PACKAGE = Path(__file__).resolve().parent.parent
# Each step keeps the templates and scripts of its pages beside them.
WEB = sorted(path for path in (PACKAGE / "web").iterdir() if path.is_dir())

SECRET_KEY = env("SECRET_KEY")
DEBUG = False
ALLOWED_HOSTS = env.list("ALLOWED_HOSTS", default=["127.0.0.1", "localhost"])

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "procrastinate.contrib.django",
    "allauth",
    "allauth.account",
    "allauth.mfa",
    "allauth.usersessions",
    "axes",
    *(
        f"northing.{name}"
        for name in (
            "database",
            "masterdata",
            "access",
            "activity",
            "jobs",
            "messaging",
            "ledger",
            "billing",
            "inventory",
            "positions",
            "worklist",
            "orders",
            "confirmations",
            "shipping",
            "costing",
            "customs",
            "receiving",
            "quality",
            "claims",
            "payments",
            "reports",
            "actions",
            "web",
            "scenarios",
            "demo",
        )
    ),
]
MIDDLEWARE = [
    "northing.web.common.logs.RequestLog",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "northing.web.common.middleware.SignedIn",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "northing.web.common.middleware.DomainErrors",
    # After all others, so that it sees the answer of the form.
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "northing.urls"
WSGI_APPLICATION = "northing.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [folder / "templates" for folder in WEB],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "northing.web.common.context.frame",
            ],
            "builtins": ["northing.web.common.templatetags.say"],
        },
    }
]

DATABASES = {"default": env.db("DATABASE_URL")}
# A request finds out within three seconds that the database is away, and the next one after it came back is served.
DATABASES["default"]["OPTIONS"] = {
    "connect_timeout": 2,
    "pool": {"min_size": 1, "max_size": 8, "timeout": 2.5, "reconnect_timeout": 3},
}
DATABASES["default"]["CONN_HEALTH_CHECKS"] = True
# Webhooks and carriers' feeds may be in our own network: of the stand-ins of the demo, or where the house says so.
PRIVATE_ADDRESSES = env.bool("PRIVATE_ADDRESSES", default=False)
# With it a monitor reads at /healthz what is not well; without one only who keeps the house does.
HEALTH_TOKEN = env("HEALTH_TOKEN", default="")
# The stand-in of a hand scanner, in the demo.
SCANNER_STANDIN = env.bool("SCANNER_STANDIN", default=False)
# Shared by all processes: limits of tries, and codes that were used. Made by a migration of `access`.
# It holds limits: room for many, so that nobody empties it by trying many names.
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.db.DatabaseCache",
        "LOCATION": "cache",
        "OPTIONS": {"MAX_ENTRIES": 200_000},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

LANGUAGE_CODE = "en"
# Business days are days of this zone; instants are stored in UTC.
TIME_ZONE = env("BUSINESS_ZONE", default="Pacific/Auckland")
USE_I18N = False
USE_TZ = True
USE_THOUSAND_SEPARATOR = False

# Documents and what jobs make: outside what the web server serves, handed out by views that check permissions.
FILES = env("FILES", default=str(PACKAGE.parent.parent / ".northing" / "files"))

# Where letters go; the demo sets the address of its stand-in. PUBLIC_URL stands in the links that are mailed.
MAIL_URL = env("MAIL_URL", default="smtp://127.0.0.1:25")
MAIL_FROM = env("MAIL_FROM", default="Northing <orders@northing.invalid>")
MAIL_DOMAIN = env("MAIL_DOMAIN", default="northing.invalid")
PUBLIC_URL = env("PUBLIC_URL", default="http://127.0.0.1:8000")

STATIC_URL = "static/"
STATICFILES_DIRS = [PACKAGE / "static", *(folder / "static" for folder in WEB if (folder / "static").is_dir())]
# Served straight from the sources: nothing to collect before a start.
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 3600

# Whether a proxy of ours stands before the server and says whom it speaks for.
BEHIND_PROXY = False
COOKIES_OVER_HTTPS = env.bool("COOKIES_OVER_HTTPS", default=True)
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = COOKIES_OVER_HTTPS
SESSION_COOKIE_HTTPONLY = True
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
# The camera reads labels at the dock; nothing else of the device is asked for.
PERMISSIONS_POLICY = (
    "camera=(self), publickey-credentials-get=(self), publickey-credentials-create=(self), geolocation=(),"
    " microphone=(), payment=(), usb=(), serial=(), bluetooth=(), midi=(), display-capture=(), browsing-topics=()"
)
DATA_UPLOAD_MAX_NUMBER_FIELDS = 20_000
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        "style-src": ["'self'"],
        "font-src": ["'self'"],
        "img-src": ["'self'", "data:"],
        "connect-src": ["'self'"],
        "worker-src": ["'self'"],
        "form-action": ["'self'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
    }
}
