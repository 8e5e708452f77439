"""Settings of the web application. Everything a machine may want otherwise comes from the environment."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent.parent


def _var() -> Path:
    """Where data is kept: `var` beside a source tree; where the system keeps state for what is installed."""
    if given := os.environ.get("LATTICE_VAR"):
        return Path(given)
    if (ROOT / "pyproject.toml").exists():
        return ROOT / "var"
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "intact-lattice"


VAR = _var()
VAR.mkdir(parents=True, exist_ok=True)


def _private(path: Path) -> Path:
    """A file that only this account may read, made where it is not there yet."""
    os.close(os.open(path, os.O_CREAT, 0o600))
    path.chmod(0o600)
    return path


def _secret() -> str:
    """A secret made once a machine and kept beside the database."""
    given = os.environ.get("LATTICE_SECRET")
    if given:
        return given
    path = _private(VAR / "secret")
    if not path.read_text():
        path.write_text(secrets.token_urlsafe(50))
    return path.read_text()


SECRET_KEY = _secret()
DEBUG = os.environ.get("LATTICE_DEBUG") == "1"
ALLOWED_HOSTS = [host.strip() for host in os.environ.get("LATTICE_HOSTS", "127.0.0.1,localhost,[::1]").split(",")]
# The demo's sign-in link works only where this is set (make demo sets it).
DEMO_SIGN_IN = os.environ.get("LATTICE_DEMO") == "1"

JOBS_DATABASE = _private(VAR / "jobs.sqlite3")
PRINTS = VAR / "prints"  # files that are read or measured; they go when that is done
PRINTS_QUOTA = 4 * 1024**3  # bytes that one person's files may take together
# Background work at once, within the request: for tests.
JOBS_AT_ONCE = os.environ.get("LATTICE_JOBS_AT_ONCE") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "django_htmx",
    "web.shared",
    "web.accounts",
    "web.shelf",
    "web.editor",
    "web.plans",
    "web.bringing",
    "web.bench",
    "web.reuse",
    "web.revisions",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "web.shared.middleware.ServerTiming",
    "web.shared.middleware.Headers",
    "web.shared.middleware.PlainForms",
    "web.shared.middleware.Busy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "web.shelf.recovery.UnreadableTemplates",
]
ROOT_URLCONF = "web.config.urls"
WSGI_APPLICATION = "web.config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [ROOT / "web" / "templates"],
        "APP_DIRS": False,
        "OPTIONS": {
            "loaders": [
                ("django.template.loaders.cached.Loader", ["django.template.loaders.filesystem.Loader"]),
            ],
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "web.shared.context.page",
            ],
            "builtins": ["web.shared.templatetags.figures", "web.editor.templatetags.edits"],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": _private(VAR / "lattice.sqlite3"),  # SQLite makes its files beside it as private as it is
        "TEST": {"NAME": VAR / "test.sqlite3"},  # a file, as in use: threads share it, and WAL is tested with it
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 5,  # s that a write waits for another; then it says so (web.shared.middleware.Busy)
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}
# Rows of lists as they were rendered last, by what stands in them; each process has its own.
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.locmem.LocMemCache",
        "TIMEOUT": 3600,
        "OPTIONS": {"MAX_ENTRIES": 8000},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "shelf"
LOGOUT_REDIRECT_URL = "sign-in"

LANGUAGE_CODE = "en-gb"
USE_I18N = False
USE_TZ = True
TIME_ZONE = "UTC"

STATIC_URL = "static/"
STATICFILES_DIRS = [ROOT / "web" / "static"]
STATIC_ROOT = VAR / "static"
STATIC_ROOT.mkdir(exist_ok=True)
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = DEBUG

# Documents may have 64 MiB as files; what is pasted or typed, 20. What is larger is refused before it is read.
DATA_UPLOAD_MAX_MEMORY_SIZE = 20 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FIELDS = 5000
CSRF_FAILURE_VIEW = "web.shared.views.forbidden"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
# Signing in writes nothing to the database, so it never waits for somebody's edit.
SESSION_ENGINE = "django.contrib.sessions.backends.file"
SESSION_FILE_PATH = VAR / "sessions"
SESSION_FILE_PATH.mkdir(mode=0o700, exist_ok=True)
X_FRAME_OPTIONS = "DENY"
