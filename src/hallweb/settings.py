"""Settings. What differs between machines comes from HH_* variables and the data folder."""

import json
import os
import sys
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[2]
WEB = Path(__file__).resolve().parent
DATA_DIR = Path(os.environ.get("HH_DATA_DIR", PROJECT / ".data")).resolve()
PORT = int(os.environ.get("HH_PORT", "8000"))
DATABASE_PORT = int(os.environ.get("HH_DB_PORT", str(PORT + 10000)))

_SECRETS = DATA_DIR / "secrets.json"  # made by bin/setup, readable by its owner alone
HAS_SECRETS = _SECRETS.exists() or "HH_SECRET_KEY" in os.environ
_secrets = json.loads(_SECRETS.read_text()) if _SECRETS.exists() else {}

SERVES = os.environ.get("HH_SERVES", "all")
"""What this process is for: "web" has sound rendered ahead by others, "sound" hears them ask, "work" gives way to it, "all" does all by itself."""

IS_BEHIND_FRONT = os.environ.get("HH_BEHIND_FRONT", "") == "1"
"""Whether requests come through our nginx, which sends files by itself where it is told so."""

SECRET_KEY = os.environ.get("HH_SECRET_KEY") or _secrets.get("secret_key", "only-for-commands-that-need-no-secret")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("HH_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
IS_LOOPBACK_ONLY = set(ALLOWED_HOSTS) <= {"localhost", "127.0.0.1", "[::1]"}
ROOT_URLCONF = "hallweb.urls"
WSGI_APPLICATION = "hallweb.wsgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.humanize",
    "django.contrib.messages",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "hallweb.accounts",  # before allauth, whose templates it has its own of
    "allauth",
    "allauth.account",
    "allauth.mfa",
    "allauth.usersessions",
    "csp",
    "django_htmx",
    "template_partials",
    "procrastinate.contrib.django",
    "hallweb.songs",
    "hallweb.analysis",
    "hallweb.audition",
    "hallweb.handoff",
    "hallweb.sharing",
    "hallweb.screens.common",
    "hallweb.screens.songs",
    "hallweb.screens.song",
    "hallweb.screens.returns",
    "hallweb.screens.sends",
    "hallweb.screens.moves",
    "hallweb.screens.hall",
    "hallweb.screens.findings",
    "hallweb.screens.versions",
    "hallweb.screens.handoff",
    "hallweb.screens.sharing",
    "hallweb.screens.listening",
]

MIDDLEWARE = [
    "hallweb.screens.common.tracing.Traced",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "hallweb.screens.common.compression.CompressText",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "allauth.usersessions.middleware.UserSessionsMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "hallweb.screens.common.bodies.LimitBodies",  # after what says whether htmx asks, and so how it is refused
]

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
            "builtins": [
                "hallweb.screens.common.templatetags.figures",
                "hallweb.screens.common.templatetags.dragged",
                "template_partials.templatetags.partials",
            ],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": os.environ.get("HH_DB_HOST", "127.0.0.1"),
        "PORT": DATABASE_PORT,
        "NAME": os.environ.get("HH_DB_NAME", "highhall"),
        "USER": os.environ.get("HH_DB_USER", "highhall"),
        "PASSWORD": os.environ.get("HH_DB_PASSWORD") or _secrets.get("database_password", ""),
        "CONN_MAX_AGE": 3600,  # a new one takes 20 ms
        "CONN_HEALTH_CHECKS": True,
    }
}

LOGIN_URL = "account_login"
LOGIN_REDIRECT_URL = "songs:show"
AUTHENTICATION_BACKENDS = ["allauth.account.auth_backends.AuthenticationBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in (
        "UserAttributeSimilarityValidator",
        "MinimumLengthValidator",
        "CommonPasswordValidator",
        "NumericPasswordValidator",
    )
]
ACCOUNT_FORMS = {"login": "hallweb.accounts.forms.SignIn"}
ACCOUNT_ADAPTER = "hallweb.accounts.adapter.Accounts"
ACCOUNT_LOGIN_METHODS = {"username", "email"}
ACCOUNT_SIGNUP_FIELDS = ["username*", "email*", "password1*", "password2*"]
ACCOUNT_EMAIL_VERIFICATION = "none"  # an invitation goes to an address already
ACCOUNT_LOGOUT_REDIRECT_URL = "account_login"
ACCOUNT_SESSION_REMEMBER = True
ACCOUNT_EMAIL_SUBJECT_PREFIX = "High Hall: "
ACCOUNT_RATE_LIMITS = {"login_failed": "30/m/ip,5/5m/key", "login": "60/m/ip"}
MFA_SUPPORTED_TYPES = ["totp", "recovery_codes"]
MFA_ALLOW_UNVERIFIED_EMAIL = True
MFA_TOTP_ISSUER = "High Hall"
SIGN_UP_IS_OPEN = os.environ.get("HH_SIGN_UP", "by-invitation") == "open"
INVITATION_DAYS = 14

TRUSTED_PROXIES = int(os.environ.get("HH_TRUSTED_PROXIES", "0"))
"""How many reverse proxies stand before the application; only what they say of an address is believed."""

ALLAUTH_TRUSTED_PROXY_COUNT = TRUSTED_PROXIES

MAIL_HOST = os.environ.get("HH_MAIL_HOST", "")
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if MAIL_HOST else 'filebased'}.EmailBackend"
EMAIL_FILE_PATH = DATA_DIR / "mail"
EMAIL_HOST, EMAIL_PORT = MAIL_HOST, int(os.environ.get("HH_MAIL_PORT", "587"))
EMAIL_HOST_USER = os.environ.get("HH_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("HH_MAIL_PASSWORD", "")
EMAIL_USE_TLS = EMAIL_PORT == 587  # submission, RFC 6409
DEFAULT_FROM_EMAIL = os.environ.get("HH_MAIL_FROM", "high-hall@localhost")

STATIC_URL = "/static/"
STATICFILES_DIRS = [WEB / "static", ("sheet", PROJECT / "src" / "highhall" / "sheet" / "style")]
_COLLECTED = DATA_DIR / "static"  # by `manage.py collectstatic`, as bin/demo does; tests serve files where they lie
_IS_HASHED = (_COLLECTED / "staticfiles.json").exists() or "collectstatic" in sys.argv
STATIC_ROOT = _COLLECTED if _IS_HASHED else None
WHITENOISE_USE_FINDERS = not _IS_HASHED
_S3_BUCKET = os.environ.get("HH_S3_BUCKET", "")
FILES_ARE_ELSEWHERE = bool(_S3_BUCKET)
"""Whether files that have to last are in S3; the data folder of each machine holds copies then."""

STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "lasting": {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": _S3_BUCKET,
            "endpoint_url": os.environ.get("HH_S3_ADDRESS") or None,
            "access_key": os.environ.get("HH_S3_KEY") or None,
            "secret_key": os.environ.get("HH_S3_SECRET") or None,
            "region_name": os.environ.get("HH_S3_REGION", "us-east-1"),
            "addressing_style": "path",
            "file_overwrite": True,
            "querystring_expire": 600,
        },
    }
    if FILES_ARE_ELSEWHERE
    else {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": DATA_DIR}},
    "staticfiles": {
        "BACKEND": "hallweb.screens.common.static_files.HashedFiles"
        if _IS_HASHED
        else "django.contrib.staticfiles.storage.StaticFilesStorage"
    },
}

LANGUAGE_CODE = "en"
TIME_ZONE = os.environ.get("HH_TIME_ZONE", "UTC")
USE_TZ = True

IS_HTTPS = os.environ.get("HH_HTTPS", "") == "1"
"""Whether browsers reach the application by HTTPS, through a reverse proxy that says so."""

SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = IS_HTTPS
SECURE_HSTS_SECONDS = 31_536_000 if IS_HTTPS else 0
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if IS_HTTPS and TRUSTED_PROXIES else None
SECURE_REDIRECT_EXEMPT = [r"^health/", r"^ready/"]
CSRF_TRUSTED_ORIGINS = [origin for origin in os.environ.get("HH_ORIGINS", "").split(",") if origin]

SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "hallweb.screens.common.failures.untrusted"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'self'"],
        "img-src": ["'self'", "data:"],  # the code that a second factor is set up with
        "object-src": ["'none'"],
        "base-uri": ["'self'"],
        "frame-ancestors": ["'none'"],
        "form-action": ["'self'"],
    }
}

ALLOWANCE_BYTES = int(os.environ.get("HH_ALLOWANCE_GIB", "50")) << 30
"""How much room the songs of one account may take, if its own allowance does not say otherwise."""

DECODED_LIMIT_BYTES = int(os.environ.get("HH_DECODED_LIMIT_GIB", "40")) << 30
"""How much room decoded stems may take; they are decoded anew when they are needed."""

DISK_RESERVE_BYTES = int(os.environ.get("HH_DISK_RESERVE_GIB", "2")) << 30
"""How much of the disk stays free, whatever comes in."""

PRINTS_KEPT_DAYS = 30
COMMENTS_A_MINUTE = 12
"""How many comments one listening link takes in a minute."""

DEMO_USER, DEMO_PASSWORD = "demo", "lantern"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"lines": {"()": "hallweb.log_lines.JsonLines"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "lines"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "hallweb.audit": {"level": "INFO"},
        "hallweb.work": {"level": "INFO" if os.environ.get("HH_LOG_WORK") == "1" else "WARNING"},
    },
}
"""Lines of JSON on the standard error: what went wrong, by `hallweb.audit` who came in and what was shared, and, if it is asked for, by
`hallweb.work` each edit and each segment that was rendered."""

_REDIS = os.environ.get("HH_REDIS", "")
CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.redis.RedisCache", "LOCATION": _REDIS}
    if _REDIS
    else {
        "BACKEND": "django.core.cache.backends.db.DatabaseCache",
        "LOCATION": "cache",
        "OPTIONS": {"MAX_ENTRIES": 20_000},
    }
}
"""What every process has to know, for a while: measurements, proposals, how often somebody tried. In the database, or in Redis."""

SEGMENTS_LIMIT_BYTES = int(os.environ.get("HH_SEGMENTS_LIMIT_MIB", "4096")) << 20
"""How much room segments of sound may take on disk; what was heard least recently goes first."""

ENGINES_LIMIT_BYTES = int(os.environ.get("HH_ENGINES_LIMIT_MIB", "128")) << 20
"""How much memory a process gives to engines that rest at the end of a segment, ready to go on."""
