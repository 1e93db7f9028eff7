"""Settings, from the environment where a place differs from the default under ``var/``."""

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent.parent
VAR = Path(os.environ.get("HUSH_VAR", ROOT / "var"))

DEBUG = False
ALLOWED_HOSTS = os.environ.get("HUSH_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
POOL = os.environ.get("HUSH_DB_POOL", "") == "1"
DEMO = os.environ.get("HUSH_DEMO", "") == "1"


def _secret() -> str:
    """A key of this installation's own, made on first use."""
    from django.core.management.utils import get_random_secret_key  # noqa: PLC0415

    kept = VAR / "secret.key"
    if not kept.exists():
        kept.parent.mkdir(parents=True, exist_ok=True)
        kept.write_text(get_random_secret_key())
        kept.chmod(0o600)
    return kept.read_text()


# who may read /metrics without signing in
METRICS_TOKEN = os.environ.get("HUSH_METRICS_TOKEN", "")

SECRET_KEY = os.environ.get("HUSH_SECRET") or _secret()

# One root per kind of file; rows hold paths relative to these
PLATES = Path(os.environ.get("HUSH_PLATES", VAR / "plates"))
MEDIA_FOOTAGE = Path(os.environ.get("HUSH_FOOTAGE", VAR / "media"))
DELIVERIES = Path(os.environ.get("HUSH_DELIVERIES", VAR / "deliveries"))
PROXIES = Path(os.environ.get("HUSH_PROXIES", VAR / "proxies"))
REPORTS = Path(os.environ.get("HUSH_REPORTS", VAR / "reports"))
# The facility's own OpenColorIO configuration; the built-in studio one otherwise
OCIO = os.environ.get("HUSH_OCIO") or "ocio://studio-config-v4.0.0_aces-v2.0_ocio-v2.5"
# Footage is opened for the first time in a process of its own, so that a file that breaks a reader breaks nothing else
SCAN_APART = True
# Proxies beyond this many bytes give way, the longest unused first
# a first retouch is proposed for whatever is circled
PROPOSE = os.environ.get("HUSH_PROPOSE", "1") == "1"
# what a process keeps in memory of decoded frames, plates and fixes made ready
CACHE_BYTES = int(float(os.environ.get("HUSH_CACHE_MB", "250")) * 1e6)
PROXY_BYTES = int(float(os.environ.get("HUSH_PROXY_GB", "40")) * 1e9)

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "axes",
    "csp",
    "ninja",
    "procrastinate.contrib.django",
    # low to high: a lower one never imports a higher one (import-linter)
    "events",
    "accounts",
    "jobs",
    "fixes",
    "holds",
    "plates",
    "laying",
    "tells",
    "reviews",
    "deliveries",
    "api",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.common.CommonMiddleware",  # for hosts that are not ours
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "api.errors.ProblemMiddleware",
    "api.access.AccessMiddleware",
    "axes.middleware.AxesMiddleware",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
]
# a name is locked at an address after so many wrong passwords, for so many hours (OWASP ASVS 2.2.1)
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "api.errors.locked_out"
# nothing but our own scripts, none of them inline; Radix writes its styles itself
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'self'"], "script-src": ["'self'"], "style-src": ["'self'", "'unsafe-inline'"],
        "img-src": ["'self'", "data:", "blob:"], "font-src": ["'self'", "data:"], "connect-src": ["'self'"],
        "worker-src": ["'self'", "blob:"],
        "object-src": ["'none'"], "base-uri": ["'self'"], "form-action": ["'self'"], "frame-ancestors": ["'none'"],
    }
}  # fmt: skip
X_FRAME_OPTIONS = "DENY"
APPEND_SLASH = False
ROOT_URLCONF = "config.urls"
ASGI_APPLICATION = "config.asgi.application"
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("HUSH_DB", "hush"),
        "USER": os.environ.get("HUSH_DB_USER", "hush"),
        "HOST": os.environ.get("HUSH_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("HUSH_DB_PORT", "54329"),
        "PASSWORD": os.environ.get("HUSH_DB_PASSWORD", ""),
        "CONN_MAX_AGE": 0,
        "CONN_HEALTH_CHECKS": True,  # a connection that the database has dropped is not handed out
        # the web server keeps its connections (opening one costs more than most answers); workers do not need to
        "OPTIONS": {"connect_timeout": 10, **({"pool": {"min_size": 2, "max_size": 16}} if POOL else {})},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 7 * 24 * 3600
# behind a proxy that speaks HTTPS: cookies for it alone, and browsers told to come by no other way
HTTPS = os.environ.get("HUSH_HTTPS", "") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = HTTPS
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS else None
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if HTTPS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = HTTPS
SECURE_REDIRECT_EXEMPT = [r"^health$"]
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS if HTTPS]
CSRF_COOKIE_SAMESITE = "Lax"
DATA_UPLOAD_MAX_MEMORY_SIZE = 20 * 1024 * 1024

STATIC_URL = "static/"
WEB_BUILD = ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB_BUILD if WEB_BUILD.exists() else None
WHITENOISE_INDEX_FILE = True

PROCRASTINATE_AUTODISCOVER_MODULE_NAME = "tasks"
# a killed worker is noticed after so many seconds and its work goes back in the queue; a busy machine may keep one
# silent for some time (compiling holds the interpreter), and two at the same work would be worse than a late one
STALLED_AFTER = float(os.environ.get("HUSH_STALLED_AFTER", "30"))
PROCRASTINATE_WORKER_DEFAULTS = {
    "update_heartbeat_interval": STALLED_AFTER / 6,
    "stalled_worker_timeout": STALLED_AFTER,
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"hush": {"level": "INFO"}},
}
