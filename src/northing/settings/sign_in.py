"""Signing in: django-allauth does passwords, second factors and sessions, django-axes locks names."""

import environ

env = environ.Env()

AUTH_USER_MODEL = "access.Person"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}Validator"}
    for name in ("MinimumLength", "UserAttributeSimilarity", "CommonPassword", "NumericPassword")
]
# New passwords are kept by the first; those of before are read by the others, and kept anew when they are used.
PASSWORD_HASHERS = [
    f"django.contrib.auth.hashers.{name}PasswordHasher" for name in ("Argon2", "PBKDF2", "PBKDF2SHA1", "Scrypt")
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "allauth.account.auth_backends.AuthenticationBackend"]
LOGIN_URL = LOGOUT_REDIRECT_URL = "account_login"
LOGIN_REDIRECT_URL = "watch"

# There is no sign-up: people are added under People and roles.
ACCOUNT_ADAPTER = "northing.web.access.adapters.AccountAdapter"
ACCOUNT_FORMS = {"change_password": "northing.web.access.forms.sign_in.PasswordForm"}
ACCOUNT_LOGIN_METHODS = {"username"}
ACCOUNT_SIGNUP_FIELDS = ["username*", "password1*"]
ACCOUNT_EMAIL_VERIFICATION = "none"
ACCOUNT_LOGOUT_REDIRECT_URL = "account_login"
# A session lives as long as its cookie, also after the browser was closed.
ACCOUNT_SESSION_REMEMBER = True
# Wrong codes of a second factor within the time: from one address, and of one person.
ACCOUNT_RATE_LIMITS = {"login": None, "login_failed": "30/15m/ip,10/15m/key"}
# Wrong passwords: from one address (a whole office shares one), and of one name from anywhere. Both are much higher
# than what locks a name at an address (axes, below): no stranger keeps a person out by a few wrong tries.
WRONG_PASSWORDS = "150/15m/ip,60/15m/key"
# Minutes without a request after which a session ends.
IDLE_MINUTES = env.int("IDLE_MINUTES", default=8 * 60)

MFA_ADAPTER = "northing.web.access.adapters.FactorAdapter"
MFA_SUPPORTED_TYPES = ["totp", "recovery_codes", "webauthn"]
MFA_PASSKEY_LOGIN_ENABLED = True
# A passkey cannot be guessed; a whole office signs in from one address in the morning.
MFA_RATE_LIMITS = {"webauthn_login": "120/m/ip"}
MFA_RECOVERY_CODES_SHOW_ONCE = True
MFA_TOTP_ISSUER = "Northing"
# A code of the half minute before or after is taken as well: clocks differ.
MFA_TOTP_TOLERANCE = 1
# Loopback over plain HTTP, as in the demo; the browser itself ties a passkey to its address.
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = not env.bool("COOKIES_OVER_HTTPS", default=True)

AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_FAILURE_LIMIT = 5
# A quarter of an hour, and twice as long each time again within a day.
AXES_COOLOFF_TIME = "northing.web.access.adapters.lock_lasts"
AXES_ENABLE_ACCESS_FAILURE_LOG = True
# Each try keeps its own end: another person's sign-in does not shorten a longer lock.
AXES_USE_ATTEMPT_EXPIRATION = True
# Who knocks while a name is locked does not keep it locked.
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_RESET_ON_SUCCESS = True
AXES_USERNAME_CALLABLE = "northing.web.access.adapters.name_of_try"
AXES_CLIENT_IP_CALLABLE = "northing.web.common.callers.address_of"
AXES_LOCKOUT_CALLABLE = "northing.web.access.adapters.locked_page"
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
# Axes would lock by address as well; whole offices share one, so the limit of addresses is a higher one, above.
SILENCED_SYSTEM_CHECKS = ["axes.W006"]
