"""Settings of the web application. Everything a machine may want otherwise comes from the environment."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from web.config import environment

ROOT = Path(__file__).resolve().parent.parent.parent
VAR = environment.data_folder(ROOT)
SECRET_KEY = environment.secret(VAR)
DEBUG = environment.is_set("LATTICE_DEBUG")
ALLOWED_HOSTS = environment.hosts()
IS_PUBLIC = environment.is_public(ALLOWED_HOSTS)
# The demo's sign-in links work only where this is set (make demo sets it).
DEMO_SIGN_IN = environment.is_set("LATTICE_DEMO")
if IS_PUBLIC and (DEBUG or DEMO_SIGN_IN):
    raise ImproperlyConfigured(
        "LATTICE_DEBUG and LATTICE_DEMO are allowed on this machine only; LATTICE_HOSTS lists others"
    )
# With TLS, which a proxy on this machine ends; it is the only one that is believed about addresses and TLS.
IS_HTTPS = environment.is_set("LATTICE_HTTPS", "1" if IS_PUBLIC else "0")
PROXY = environment.proxy() or ("127.0.0.1" if IS_HTTPS else "")

JOBS_DATABASE = environment.private(VAR / "jobs.sqlite3")
HEARTBEAT = VAR / "worker.beat"
PRINTS = VAR / "prints"  # files that are read or measured; they go when that is done
LARGEST_FILE = 2 * 1024**3  # bytes that are sent at once: half an hour of 5.1 at 96 kHz
PRINTS_QUOTA = environment.whole("LATTICE_PRINTS_GIB", 4) * 1024**3  # bytes of one person's files together
MOST_TEMPLATES = environment.whole("LATTICE_MOST_TEMPLATES", 300)  # of one person
CACHE_BYTES = environment.whole("LATTICE_CACHE_MIB", 512) * 1024**2  # of computed templates, in the server's memory
JOURNAL_DAYS = environment.whole("LATTICE_JOURNAL_DAYS", 365)  # that edits can be undone and put on top of
# Background work at once, within the request: for tests.
JOBS_AT_ONCE = environment.is_set("LATTICE_JOBS_AT_ONCE")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "django_htmx",
    "axes",
    "csp",
    "django_otp",
    "django_otp.plugins.otp_totp",
    "django_otp.plugins.otp_static",
    "web.shared",
    "web.accounts",
    "web.people",
    "web.shelf",
    "web.editor",
    "web.plans",
    "web.bringing",
    "web.bench",
    "web.reuse",
    "web.remarks",
    "web.revisions",
    "web.sharing",
    "web.running",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "web.shared.middleware.NoBodyForHead",
    "web.shared.middleware.RequestLog",
    "web.shared.middleware.ServerTiming",
    "web.shared.middleware.Headers",
    "csp.middleware.CSPMiddleware",
    "web.shared.middleware.PlainForms",
    "web.shared.middleware.Busy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "web.accounts.sessions.SessionEnds",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "web.shelf.recovery.UnreadableTemplates",
    "web.shelf.refusing.NotAllowed",
    "axes.middleware.AxesMiddleware",
    "web.accounts.throttle.KnownBrowsers",
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
            "builtins": [
                "web.shared.templatetags.figures",
                "web.accounts.templatetags.people",
                "web.editor.templatetags.edits",
            ],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": environment.private(VAR / "lattice.sqlite3"),  # SQLite makes its files beside it as private as it is
        "CONN_MAX_AGE": None,  # each thread keeps its own: opening one takes as long as a small answer
        "TEST": {"NAME": VAR / "test.sqlite3"},  # a file, as in use: threads share it, and WAL is tested with it
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 5,  # s that a write waits for another; then it says so (web.shared.middleware.Busy)
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}
# Recently rendered rows of lists, by their content; each process has its own.
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.locmem.LocMemCache",
        "TIMEOUT": 3600,
        "OPTIONS": {"MAX_ENTRIES": 8000},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "shelf"
LOGOUT_REDIRECT_URL = "sign-in"

# Passwords and signing in: OWASP ASVS 4.0, chapters 2 and 3; docs/security.md goes through them.
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "web.accounts.backends.AccountBackend",
    "sesame.backends.ModelBackend",  # the demo's links; web.accounts.views asks it nowhere else
]
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",  # of accounts from before; they are hashed anew at a sign-in
]
VALIDATION = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{VALIDATION}.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": "web.accounts.passwords.MaximumLength"},
    {"NAME": f"{VALIDATION}.CommonPasswordValidator"},
    {"NAME": f"{VALIDATION}.NumericPasswordValidator"},
    {"NAME": f"{VALIDATION}.UserAttributeSimilarityValidator"},
]
PASSWORD_RESET_TIMEOUT = 24 * 3600  # s that a link for a new password is good
AXES_HANDLER = "web.accounts.throttle.Throttle"  # which has the limits
AXES_FAILURE_LIMIT = 15
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False  # or a client could extend it forever
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_TEMPLATE = "accounts/slowed.html"
AXES_DISABLE_ACCESS_LOG = True  # web.accounts.signals keeps one, without names that may be passwords
AXES_ENABLE_ADMIN = False
AXES_VERBOSE = False
SESAME_ONE_TIME = True  # the demo's links
SESAME_MAX_AGE = timedelta(hours=24)
OTP_TOTP_ISSUER = "Intact Lattice"
OTP_STATIC_THROTTLE_FACTOR = OTP_TOTP_THROTTLE_FACTOR = 1

MAIL = environment.mail()
DEFAULT_FROM_EMAIL, EMAIL_HOST, EMAIL_PORT = MAIL.sender, MAIL.host, MAIL.port
EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = MAIL.user, MAIL.password
EMAIL_USE_TLS, EMAIL_USE_SSL = MAIL.security == "starttls", MAIL.security == "tls"
EMAIL_TIMEOUT = 10  # s

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
    "staticfiles": {"BACKEND": "web.shared.hashed.HashedFiles"},
}
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = DEBUG

# Documents may have 64 MiB as files; pasted or typed text, 20. Larger ones are refused before reading.
DATA_UPLOAD_MAX_MEMORY_SIZE = 20 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FIELDS = 5000
CSRF_FAILURE_VIEW = "web.shared.views.forbidden"

# Content security policy: our own files only, nothing inline. Colours of sections are attributes of SVG.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'self'"],
        "img-src": ["'self'", "data:"],
        "object-src": ["'none'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
        "form-action": ["'self'"],
    }
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
SESSION_COOKIE_HTTPONLY = True
CSRF_COOKIE_HTTPONLY = True  # forms and scripts take the token from the page
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
if IS_HTTPS:
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = True
    SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "__Host-session", "__Host-csrf"
    SECURE_REDIRECT_EXEMPT = ["^health/"]  # asked on this machine
    SECURE_HSTS_SECONDS = 365 * 24 * 3600
    SECURE_HSTS_INCLUDE_SUBDOMAINS = True
# HSTS preload is a decision of the owner of the domain.
SILENCED_SYSTEM_CHECKS = ["security.W021"]

# Signing in does not wait for the database of sessions: they are files.
SESSION_ENGINE = "web.accounts.session_files"
SESSION_FILE_PATH = VAR / "sessions"
SESSION_FILE_PATH.mkdir(mode=0o700, exist_ok=True)
SESSION_LASTS_S = environment.whole("LATTICE_SESSION_DAYS", 14) * 24 * 3600  # from signing in on
SESSION_IDLE_S = environment.whole("LATTICE_IDLE_HOURS", 12) * 3600  # from what somebody did last
SESSION_COOKIE_AGE = SESSION_LASTS_S

LOG_JSON = environment.is_set("LATTICE_LOG_JSON", "1" if IS_PUBLIC else "0")
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "json": {"()": "web.shared.logs.JsonLines"},
        "plain": {"format": "{levelname} {name} {message}", "style": "{"},
    },
    "filters": {"paths": {"()": "web.shared.logs.WithoutPaths"}},
    "handlers": {
        "all": {
            "class": "logging.StreamHandler",
            "formatter": "json" if LOG_JSON else "plain",
            "filters": ["paths"],
        }
    },
    "root": {"handlers": ["all"], "level": "WARNING"},
    "loggers": {
        "web": {"level": "INFO" if LOG_JSON else "WARNING"},
        "axes": {"level": "ERROR"},  # it says names and addresses
        "waitress.queue": {"level": "ERROR"},  # that somebody waits for a thread is nothing unusual
    },
}
