"""Django's settings; all that differs between installations comes from the state."""

import logging
import os
import sys
from pathlib import Path
from typing import Any

import structlog
from cryptography.fernet import Fernet

from keelmark.config.state import PROJECT, State, load_state, state_folder


def _unprepared() -> State:
    """Return what lets type checkers and schema builders load the settings without a database."""
    return State(
        database_port=1,
        database_password="",
        secret_key="unprepared",  # noqa: S106  # nothing is served with it
        feed_key=Fernet.generate_key().decode(),
        database_folder="",
    )


_state = load_state() or _unprepared()

SECRET_KEY = _state.secret_key
FEED_KEY = _state.feed_key
# Networks that feeds may be pointed at; empty: none of those that far_end.is_allowed leaves out.
FEED_NETWORKS = [n for n in os.environ.get("KEEL_FEED_NETWORKS", "").split(",") if n]
FEED_FOLDERS = os.environ.get("KEEL_FEED_FOLDERS", str(state_folder() / "inbox"))
SENT_FOLDER = state_folder() / "sheets"  # tables that people send
FEED_TEST_FILES = os.environ.get("KEEL_FEED_TEST_FILES", "")  # libvirt's test driver: demo alone
FEED_BACK_OFF_SECONDS = 0.5  # before the second try; doubles from try to try
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *filter(None, [os.environ.get("KEEL_HOST")])]
WEB_BUILD = Path(PROJECT) / "web" / "build"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.postgres",
    "rest_framework",
    "drf_spectacular",
    "django_filters",
    "procrastinate.contrib.django",
    "keelmark.access",
    "keelmark.estate",
    "keelmark.readings",
    "keelmark.feeds",
    "keelmark.forecasts",
    "keelmark.bearings",
    "keelmark.compliance",
    "keelmark.scenarios",
]
MIDDLEWARE = [
    "keelmark.access.origin.OriginMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "keelmark.config.headers.PolicyMiddleware",
    "keelmark.config.outage.OutageMiddleware",
    "keelmark.access.parsing.PlainAddressMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "keelmark.config.urls"
ASGI_APPLICATION = "keelmark.config.asgi.application"
APPEND_SLASH = False

# Under ASGI every request has a thread of its own: a pool keeps their connections few.
# A busy machine must not be told as a database that is away, hence the patience.
# Attempts to connect give up soon: the next request makes new ones, without their pauses.
_POOL = {"min_size": 1, "max_size": 12, "timeout": 6, "reconnect_timeout": 3}
# What a request may cost the database: somebody waits for it. Workers take the time they need.
STATEMENT_SECONDS = int(os.environ.get("KEEL_STATEMENT_SECONDS", "10"))
_OF_REQUESTS = {
    "pool": _POOL,
    "options": f"-c statement_timeout={STATEMENT_SECONDS}s -c lock_timeout=5s "
    "-c idle_in_transaction_session_timeout=60s",
}

DATABASES: dict[str, dict[str, Any]] = {  # Any: Django's own loose shape
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": "127.0.0.1",
        "PORT": _state.database_port,
        "NAME": os.environ.get("KEEL_DATABASE", _state.database_name),
        "USER": _state.database_user,
        "PASSWORD": _state.database_password,
        "CONN_HEALTH_CHECKS": True,
        "TEST": {"TEMPLATE": os.environ.get("KEEL_TEST_TEMPLATE")},  # migrated once for all
        "OPTIONS": {"connect_timeout": 5, **(_OF_REQUESTS if os.environ.get("KEEL_POOL") else {})},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
_RULES = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_RULES}.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": f"{_RULES}.CommonPasswordValidator"},
    {
        "NAME": f"{_RULES}.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("username",)},
    },
]

PASSWORD_HASHERS = [
    "keelmark.access.passwords.BoundedArgon2",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",  # of before; rehashed at sign-in
]

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True
STATIC_URL = "/static/"

SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
# With TLS, here or at a proxy: KEEL_HTTPS=1 keeps cookies off plain HTTP and asks for HSTS.
IS_HTTPS = os.environ.get("KEEL_HTTPS") == "1"
# How many proxies of ours stand before the server: so many forwarded addresses are believed.
N_PROXIES = int(os.environ.get("KEEL_PROXIES", "0"))
_COOKIE = "__Host-" if IS_HTTPS else ""
SESSION_ENGINE = "keelmark.access.sessions"
SESSION_COOKIE_NAME = f"{_COOKIE}keel"
CSRF_COOKIE_NAME = f"{_COOKIE}csrftoken"
DEVICE_COOKIE_NAME = f"{_COOKIE}keel-device"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = IS_HTTPS
SECURE_HSTS_SECONDS = 31_536_000 if IS_HTTPS else 0
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if IS_HTTPS and N_PROXIES else None
SESSION_COOKIE_AGE = 12 * 3600  # a working day
IDLE_MINUTES = int(os.environ.get("KEEL_IDLE_MINUTES", "60"))  # then a session ends
CONFIRMED_SECONDS = 600  # for so long a password given again counts
SIGN_INS_AT_ONCE = int(os.environ.get("KEEL_SIGN_INS_AT_ONCE", "30"))  # from one address
# Days of readings that are taken: not older, and at most so far ahead (clocks, time zones).
WINDOW_DAYS_BACK = int(os.environ.get("KEEL_WINDOW_DAYS_BACK", "3653"))
WINDOW_DAYS_AHEAD = int(os.environ.get("KEEL_WINDOW_DAYS_AHEAD", "1"))

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "keelmark.access.rights.TokenAuthentication",
        "rest_framework.authentication.SessionAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["keelmark.access.rights.HasRight"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["keelmark.access.parsing.JsonParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "keelmark.access.problems.problem_of",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Keel Mark",
    "DESCRIPTION": "Storage capacity: pools, forecasts, placements, feeds. Bytes are integers.",
    "VERSION": "0.1.0",
    "OAS_VERSION": "3.1.0",
    "SERVE_INCLUDE_SCHEMA": False,
    "SERVE_PERMISSIONS": ["keelmark.access.rights.HasRight"],
    "COMPONENT_SPLIT_REQUEST": True,
    "ENUM_NAME_OVERRIDES": {
        "RunStateEnum": "keelmark.feeds.models.RunState",
        "KindEnum": "keelmark.estate.models.Kind",
        "FindingKindEnum": "keelmark.estate.models.FindingKind",
        "VerdictEnum": "keelmark.compliance.api.policies.VERDICT_STATES",
        "IoStateEnum": "keelmark.compliance.api.tiers.IO_STATES",
        "FoundEnum": "keelmark.compliance.api.lanes.FOUND_KINDS",
        "ChangeStateEnum": "keelmark.feeds.models.ChangeState",
        "MarkLevelEnum": "keelmark.forecasts.api.marks.LEVELS",
        "CheckEnum": "keelmark.scenarios.api.placements.CHECKS",
        "HeldPlaceEnum": "keelmark.scenarios.api.holding.HELD_PLACES",
        "StepStateEnum": "keelmark.scenarios.api.orders.STEP_STATES",
        "WaitEnum": "keelmark.scenarios.api.orders.WAITS",
        "StepKindEnum": "keelmark.scenarios.api.orders.STEP_KINDS",
        "MoveKindEnum": "keelmark.scenarios.api.told.MOVE_KINDS",
        "ScenarioStateEnum": "keelmark.scenarios.api.told.SCENARIO_STATES",
        "ObjectTierEnum": "keelmark.scenarios.api.objects.TIERS",
    },
}
PROCRASTINATE_ON_APP_READY = None
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"procrastinate": {"level": "WARNING"}},
}

# Events of ours go to standard error at warning and above; the workers' logs keep them.
structlog.configure(
    wrapper_class=structlog.make_filtering_bound_logger(
        logging.getLevelNamesMapping()[os.environ.get("KEEL_LOG", "WARNING")]
    ),
    logger_factory=structlog.PrintLoggerFactory(sys.stderr),
)

# Revisions of the estate are made by the workers; tests, which have none, want each read anew.
PICTURE_IS_MADE_WHEN_ASKED = False
