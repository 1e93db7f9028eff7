"""Addresses: the API, the pictures, the live events; all else is the web side."""

from api import fix_pictures, health, reviews, shot_pictures, sources, uploads
from api.events import stream
from api.root import api
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path


def web(request: HttpRequest, rest: str = "") -> HttpResponse:
    """The web side's one page, for every address that is its own."""
    page = settings.WEB_BUILD / "index.html"
    if not page.exists():
        return HttpResponse("The screens are not built yet. Run bin/start.", status=503, content_type="text/plain")
    return HttpResponse(page.read_bytes(), content_type="text/html", headers={"Cache-Control": "no-cache"})


urlpatterns = [
    path("health", health.health),
    path("metrics", health.metrics),
    path("api/events", stream),
    path("api/uploads", uploads.uploads),
    path("api/uploads/<uuid:key>", uploads.upload),
    path("api/", api.urls),
    path("pictures/shots/<int:shot>/frames/<int:frame>.<str:suffix>", shot_pictures.frame),
    path("pictures/shots/<int:shot>/patched/<int:frame>.<str:suffix>", fix_pictures.patched),
    path("pictures/versions/<int:version>/<int:frame>.jpg", reviews.version_picture),
    path("pictures/fixes/<int:fix>/still/<int:frame>.<str:suffix>", fix_pictures.still),
    path("pictures/fixes/<int:fix>/tracker/<int:frame>.jpg", fix_pictures.tracker),
    path("pictures/fixes/<int:fix>/plate.<str:suffix>", fix_pictures.plate),
    path("pictures/fixes/<int:fix>/sights/<str:what>/<int:frame>.png", fix_pictures.sight),
    path("pictures/fixes/<int:fix>/tries/<str:key>/<int:frame>.jpg", sources.try_picture),
    path("pictures/fixes/<int:fix>/crops/<int:frame>.jpg", fix_pictures.crop),
    re_path(r"^(?!api/|pictures/|assets/|health$|metrics$)(?P<rest>.*)$", web),
]
