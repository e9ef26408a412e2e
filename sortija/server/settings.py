"""Django's settings. Everything that differs between machines comes from the environment."""

from __future__ import annotations

import contextlib
import os
import secrets
import tempfile
from pathlib import Path
from urllib.parse import urlsplit

import environ
from django.core.exceptions import ImproperlyConfigured

from sortija.places import data_folder, front_end
from sortija.server.operations.logs import settings_for

env = environ.Env()
#: Cluster, uploads, column files, kernels' cache: all that Sortija keeps on this machine.
DATA = data_folder()
COLUMN_FILES = DATA / "columns"
ORIGINALS = DATA / "originals"
EXPORTS = DATA / "exports"
COLUMN_FILES_LIMIT = env.int("SORTIJA_COLUMN_FILES", default=8 << 30)


def _secret_key() -> str:
    """The key made at first start, readable by its owner only."""
    path = DATA / "secret-key"
    if not path.exists():
        DATA.mkdir(parents=True, exist_ok=True)
        # Written aside and linked into place: of several processes that start at once, one
        # makes the key and the others find it whole.
        descriptor, aside = tempfile.mkstemp(dir=DATA, prefix=".key-")
        with os.fdopen(descriptor, "w") as file:
            file.write(secrets.token_urlsafe(48))
        with contextlib.suppress(FileExistsError):
            os.link(aside, path)
        Path(aside).unlink()
    return path.read_text().strip()


SECRET_KEY = _secret_key()
#: Places below which logs may be attached: folders, or such as s3://bucket/prefix.
ATTACHABLE = env.list("SORTIJA_ATTACH", default=[])
SORTIJA_DASK = env.str("SORTIJA_DASK", default="")
SORTIJA_URL = env.str("SORTIJA_URL", default="http://127.0.0.1:8000")
_url = urlsplit(SORTIJA_URL)
if _url.scheme not in ("http", "https") or not _url.hostname:
    raise ImproperlyConfigured(
        f"SORTIJA_URL is {SORTIJA_URL!r}. Write it with its scheme, such as https://crm.example.org."
    )
DEBUG = False
ALLOWED_HOSTS = sorted({_url.hostname or "127.0.0.1", "127.0.0.1", "localhost"})
CSRF_TRUSTED_ORIGINS = [f"{_url.scheme}://{_url.netloc}"]
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = _url.scheme == "https"
SESSION_COOKIE_NAME = "sortija_session"
CSRF_COOKIE_NAME = "sortija_csrf"
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
#: Under https only https, from then on; a proxy in front says by this header how it was asked.
_HTTPS = _url.scheme == "https"
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if _HTTPS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = _HTTPS
#: Whether browsers know a domain as https beforehand is for its owner to say.
SILENCED_SYSTEM_CHECKS = ["security.W021"]
SECURE_SSL_REDIRECT = _HTTPS
#: Who looks after the machine asks from the machine itself.
SECURE_REDIRECT_EXEMPT = [r"^api/health$"]
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if _HTTPS else None
#: Nobody who walks away stays signed in: seconds without a request.
SESSION_COOKIE_AGE = env.int("SORTIJA_IDLE", default=12 * 3600)
#: Wrong passwords are answered by a growing pause, and so many are checked at once.
SIGN_INS_AT_ONCE = env.int("SORTIJA_SIGN_INS_AT_ONCE", default=4)
X_FRAME_OPTIONS = "DENY"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "procrastinate.contrib.django",
    "sortija.server.bulk",
    "sortija.server.operations",
    "sortija.server.accounts",
    "sortija.server.jobs",
    "sortija.server.studies",
    "sortija.server.lens",
    "sortija.server.ledger",
    "sortija.server.measures",
    "sortija.server.scores",
    "sortija.server.groups",
    "sortija.server.portraits",
    "sortija.server.crossings",
    "sortija.server.campaigns",
]
MIDDLEWARE = [
    "sortija.server.operations.requests.RequestIds",
    "django.middleware.security.SecurityMiddleware",
    "sortija.server.operations.answers.CompressAnswers",
    "sortija.server.operations.answers.NameAnswers",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "sortija.server.page.ContentPolicy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "sortija.server.accounts.idle.StaySignedIn",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "sortija.server.studies.problems.ApiErrors",
    "sortija.server.studies.request_cache.PerRequest",
]
ROOT_URLCONF = "sortija.server.urls"
WSGI_APPLICATION = "sortija.server.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).resolve().parent / "templates"],
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]
DATABASES = {
    "default": {
        **env.db_url("DATABASE_URL", default="postgres://sortija@127.0.0.1:5499/sortija"),
        "CONN_MAX_AGE": 60,
        # A database that was started again costs no thread of the server a failed request.
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_USER_MODEL = "accounts.Person"
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 10},
    },
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

STATIC_URL = "/static/"
STATICFILES_DIRS = [p for p in [front_end()] if p.exists()]
#: Built files alone: nothing that a package brings along.
STATICFILES_FINDERS = ["django.contrib.staticfiles.finders.FileSystemFinder"]
WHITENOISE_USE_FINDERS = True
#: Vite puts a digest into every built name, so those never change.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/assets/.+-[\w-]{8,}\.\w+(\.gz|\.br)?$"
DATA_UPLOAD_MAX_MEMORY_SIZE = 12 << 20

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "URL_FORMAT_OVERRIDE": None,
    "EXCEPTION_HANDLER": "sortija.server.studies.problems.handler",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Sortija",
    "VERSION": "1",
    "OAS_VERSION": "3.1.0",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": False,
    "POSTPROCESSING_HOOKS": [
        "sortija.server.studies.contract.with_problems",
    ],
}
PROCRASTINATE_WORKER_DEFAULTS = {"shutdown_graceful_timeout": 10}
LOGGING = settings_for(
    env.str("SORTIJA_PART", default=""), DATA / "logs", env.str("SORTIJA_LOG", default="WARNING")
)
#: Days that files of lists are kept, and originals once they are counted; 0: for ever.
KEEP_EXPORTS = env.int("SORTIJA_KEEP_EXPORTS", default=7)
KEEP_ORIGINALS = env.int("SORTIJA_KEEP_ORIGINALS", default=0)
#: Bytes of results that each process may remember from one request to the next.
REMEMBER = env.int("SORTIJA_REMEMBER", default=1 << 30)
#: Bytes of free disk below which Sortija says that it is not well.
LEAST_DISK = env.int("SORTIJA_LEAST_DISK", default=1 << 30)
