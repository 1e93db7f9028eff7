"""The API: one router an app, described by OpenAPI."""

from accounts.api import router as accounts
from deliveries.api import router as deliveries
from fixes.api import router as fixes
from fixes.patch_api import router as patch
from jobs.api import router as jobs
from ninja import NinjaAPI
from ninja.security import django_auth

from config.errors import install

api = NinjaAPI(title="Hush Patch", version="1", urls_namespace="api", docs_url="docs", auth=django_auth)
api.add_router("", accounts)
api.add_router("", jobs)
api.add_router("", fixes)
api.add_router("", patch)
api.add_router("", deliveries)
install(api)
