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
from api.people import router as people
from api.plates import router as plates
from api.queue import router as queue
from api.reviews import router as reviews
from api.sources import router as sources
from api.storage import router as storage

api = NinjaAPI(title="Hush Patch", version="1", urls_namespace="api", docs_url=None, auth=django_auth)
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
api.add_router("", queue)
api.add_router("", people)
api.add_router("", reviews)
api.add_router("", storage)
install(api)
