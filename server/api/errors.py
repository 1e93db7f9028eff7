"""The one place that maps errors to problem responses (RFC 9457)."""

import logging
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from fixes.change import Conflict
from ninja.errors import AuthenticationError, ValidationError

from hushcore.errors import HushError

log = logging.getLogger("hush")
STATUS = {
    "conflict": 409, "not-found": 404, "no-frame": 404, "disk-full": 507, "forbidden": 403, "signed-out": 401,
    "locked-out": 429, "too-large": 413,
}  # fmt: skip


def problem(error: HushError) -> JsonResponse:
    """An engine or server error as the screen shows it."""
    body: dict[str, Any] = {"title": error.message, "kind": error.kind, "status": STATUS.get(error.kind, 400)}
    if isinstance(error, Conflict):
        body["newer"] = error.newer
    return JsonResponse(body, status=body["status"], content_type="application/problem+json")


def locked_out(request: HttpRequest, *_: Any) -> HttpResponse:
    """The answer to a name that is locked for a while; whatever is tried meanwhile."""
    minutes = settings.AXES_COOLOFF_TIME * 60
    return problem(HushError(
        f"Too many wrong passwords. Wait {minutes:.0f} minutes, or ask who runs the house for another one.", "locked-out"
    ))  # fmt: skip


class ProblemMiddleware:
    """Errors from plain views (pictures, events)."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if isinstance(error, HushError):
            return problem(error)
        return None


def install(api: Any) -> None:
    """Give a ninja API the same answers."""
    api.add_exception_handler(HushError, lambda request, error: problem(error))
    api.add_exception_handler(
        Http404, lambda request, error: problem(HushError("That is not here any more.", "not-found"))
    )
    api.add_exception_handler(ValidationError, lambda request, error: problem(_named(error)))
    api.add_exception_handler(
        AuthenticationError,
        lambda request, error: JsonResponse(
            {"title": "Sign in first.", "kind": "signed-out", "status": 401}, status=401
        ),
    )


def _named(error: ValidationError) -> HushError:
    first = error.errors[0]
    place = ".".join(str(part) for part in first["loc"] if part not in ("body", "payload"))
    return HushError(f"{place}: {first['msg']}.", "bad-request")
