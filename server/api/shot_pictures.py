"""A shot as shot, over HTTP."""

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from jobs.models import Shot
from jobs.pictures import TYPES, frame_key, kept, shown

from api.answers import answer, asked, signed_in


@signed_in
def frame(request: HttpRequest, shot: int, frame: int, suffix: str) -> HttpResponse:
    """A frame as shot."""
    if suffix not in TYPES:
        raise Http404
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    view = asked(request)
    key = frame_key(found, frame, view, suffix)
    if view.part is not None:  # a part that is zoomed into is not worth keeping
        return answer(shown(found, frame, view, suffix), suffix, keep="l" in request.GET)
    return answer(kept(shot, key, suffix, lambda: shown(found, frame, view, suffix)), suffix, keep="l" in request.GET)
