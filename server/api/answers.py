"""Pictures over HTTP: who may see them, how they are answered, and the way of looking that an address asks for."""

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponse
from jobs.pictures import TYPES
from jobs.viewing import IDLE, View

from hushcore.arrays import Rect
from hushcore.colour.stress import CHANNELS, Stress
from hushcore.errors import HushError

FOR_GOOD = "private, max-age=31536000, immutable"
PictureView = Callable[..., HttpResponse]


def signed_in(view: PictureView) -> PictureView:
    """Pictures are for people who are signed in."""

    @wraps(view)
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            return HttpResponse(status=401)
        return view(request, *args, **kwargs)

    return guarded


def answer(data: bytes, suffix: str, keep: bool = True) -> HttpResponse:
    """A picture response; one whose address names its exact state may be kept for good."""
    return HttpResponse(
        data, content_type=TYPES[suffix], headers={"Cache-Control": FOR_GOOD if keep else "private, no-cache"}
    )


def asked(request: HttpRequest) -> View:
    """``?ch=``, ``?st=exposure,gamma,saturation,steps``, ``?x&y&w&h``, ``?wide=``. Raises HushError for nonsense."""
    get = request.GET
    try:
        stress = IDLE
        if "st" in get:
            exposure, gamma, saturation, steps = get["st"].split(",")
            stress = Stress(float(exposure), float(gamma), float(saturation), int(steps))
        part = None
        if "w" in get:
            x, y, w, h = (int(get[name]) for name in ("x", "y", "w", "h"))
            part = Rect(x, y, x + w, y + h)
        view = View(get.get("ch", "colour"), stress, part, int(get.get("wide", 0)))
    except (ValueError, KeyError) as error:
        raise HushError("This way of looking does not exist.", "bad-request") from error
    if view.channel not in CHANNELS or view.width < 0:
        raise HushError("This way of looking does not exist.", "bad-request")
    view.stress.check()
    return view
