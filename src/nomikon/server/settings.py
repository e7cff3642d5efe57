"""Django settings. Everything that differs by installation comes from NOMIKON_* variables."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from nomikon import places

DATA_DIR = Path(os.environ.get("NOMIKON_DATA_DIR", "data")).resolve()
# Opens the stored keys of connections; keep it apart from copies of the database.
# Files of this machine that datasets may be tied to.
FILES_DIR = Path(os.environ.get("NOMIKON_FILES", DATA_DIR / "files"))
KEY_FILE = Path(os.environ.get("NOMIKON_KEY_FILE", DATA_DIR / "key-file"))
# Other machines reach the page: said on every screen.
IS_OPEN = os.environ.get("NOMIKON_OPEN") == "1"
CURRENCY = os.environ.get("NOMIKON_CURRENCY", "EUR")
WEB_DIST = places.page()


def _secret() -> str:
    """The installation's own secret, made once and kept beside the data, readable by its owner."""
    if value := os.environ.get("NOMIKON_SECRET"):
        return value
    path = DATA_DIR / "secret"
    DATA_DIR.mkdir(parents=True, exist_ok=True)
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text(encoding="ascii").strip()
    with os.fdopen(handle, "w", encoding="ascii") as file:
        value = secrets.token_urlsafe(48)
        file.write(value)
    return value


# Daily copies of the database that are kept; 0 for none.
COPIES = int(os.environ.get("NOMIKON_COPIES", "3"))
SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = [
    "127.0.0.1",
    "localhost",
    "[::1]",
    *[h for h in os.environ.get("NOMIKON_HOSTS", "").split(",") if h],
]

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "rest_framework",
    "drf_spectacular",
    "nomikon.server.apps.briefs",
    "nomikon.server.apps.datasets",
    "nomikon.server.apps.baselines",
    "nomikon.server.apps.connections",
    "nomikon.server.apps.trials",
    "nomikon.server.apps.reviews",
    "nomikon.server.apps.rounds",
    "nomikon.server.apps.weights",
    "nomikon.server.apps.culprits",
    "nomikon.server.apps.twins",
    "nomikon.server.apps.consultations",
    "nomikon.server.apps.verdicts",
    "nomikon.server.apps.ledger",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
]
ROOT_URLCONF = "nomikon.server.urls"
ASGI_APPLICATION = "nomikon.server.process.asgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
APPEND_SLASH = False

# How long a write waits for another one before it is refused as locked.
DB_PATIENCE_S = float(os.environ.get("NOMIKON_DB_PATIENCE_S", "20"))

# Measured: with IMMEDIATE no locked errors between two writers, with the
# default hundreds in five seconds although the busy timeout was set.
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": os.environ.get("NOMIKON_DB", str(DATA_DIR / "nomikon.sqlite3")),
        "CONN_MAX_AGE": 0,
        "OPTIONS": {
            "timeout": DB_PATIENCE_S,
            "transaction_mode": "IMMEDIATE",
            "init_command": (
                "PRAGMA journal_mode=WAL;PRAGMA synchronous=NORMAL;"
                f"PRAGMA busy_timeout={round(DB_PATIENCE_S * 1000)};"
                "PRAGMA journal_size_limit=67108864;PRAGMA cache_size=-32000;"
                "PRAGMA temp_store=MEMORY;"
            ),
        },
        "TEST": {"NAME": os.environ.get("NOMIKON_TEST_DB", str(DATA_DIR / "test.sqlite3"))},
    }
}

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True
USE_I18N = False

CSRF_COOKIE_SAMESITE = "Strict"
CSRF_TRUSTED_ORIGINS = [o for o in os.environ.get("NOMIKON_ORIGINS", "").split(",") if o]
CSRF_FAILURE_VIEW = "nomikon.server.problems.csrf_failure"
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"

# A dataset of 100,000 long rows fits; a larger one goes through the command line.
MAX_UPLOAD = 100 * 1024 * 1024
# What is no file is held in memory whole, and jobs, cases and texts are far smaller than files.
DATA_UPLOAD_MAX_MEMORY_SIZE = 20 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
# Files are read by another process: they need a place where it finds them.
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["nomikon.server.people.LocalPerson"],
    "DEFAULT_PERMISSION_CLASSES": [],
    "DEFAULT_RENDERER_CLASSES": ["nomikon.server.rendering.PlainRenderer"],
    "DEFAULT_PARSER_CLASSES": [
        "nomikon.server.parsing.PlainParser",
        "rest_framework.parsers.MultiPartParser",
    ],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "nomikon.server.problems.exception_handler",
    "UNAUTHENTICATED_USER": None,
    "STRICT_JSON": True,
}
# The tests hold every answer to its declaration; elsewhere mypy has done so.
CHECK_ANSWERS = False
SPECTACULAR_SETTINGS = {
    "TITLE": "Nomikon",
    "VERSION": "1",
    "OAS_VERSION": "3.1.0",
    "SERVE_INCLUDE_SCHEMA": False,
    "SERVERS": [{"url": "/"}],
    "COMPONENT_SPLIT_REQUEST": False,
    # Fields of one name in several shapes: each set of choices has its own.
    "ENUM_NAME_OVERRIDES": {
        "ProposedKind": ["add", "amend", "strike"],
        "AmendmentKind": ["add", "amend", "strike", "move", "layout"],
        "PrecedentKind": "nomikon.core.measures.precedents.KINDS",
        "TrialState": "nomikon.core.trials.states.STATES",
        "RoundsState": ["running", "ended", "stopped", "failed"],
        "LaneState": ["steady", "slowed", "resting", "probing", "given-up"],
        "ConsultationState": "nomikon.server.apps.consultations.models.STATES",
        "Severity": ["note", "warning", "error"],
        "ProblemSeverity": ["error", "warning", "ask"],
        "WrittenTwinKind": ["reworded", "there-and-back", "harder", "border"],
    },
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "nomikon.server.document.add_streams",
    ],
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    # A refused request is told to whoever sent it; the log keeps what is our own fault.
    "loggers": {
        "django.request": {"level": "ERROR"},
        "distributed": {"level": "ERROR"},
        "django.security.csrf": {"level": "ERROR"},
        "django.security.DisallowedHost": {"level": "CRITICAL"},
    },
}
