"""The API: one router an app, described by OpenAPI."""

from ninja import NinjaAPI
from ninja.security import django_auth

from api.accounts import router as accounts
from api.cards import router as cards
from api.deliveries import router as deliveries
from api.errors import install
from api.fixes import router as fixes
from api.footage import router as footage
from api.holds import router as holds
from api.jobs import router as jobs
from api.matching import router as matching
from api.plates import router as plates
from api.sources import router as sources

api = NinjaAPI(title="Hush Patch", version="1", urls_namespace="api", docs_url="docs", auth=django_auth)
api.add_router("", accounts)
api.add_router("", jobs)
api.add_router("", footage)
api.add_router("", cards)
api.add_router("", fixes)
api.add_router("", holds)
api.add_router("", matching)
api.add_router("", plates)
api.add_router("", sources)
api.add_router("", deliveries)
install(api)
