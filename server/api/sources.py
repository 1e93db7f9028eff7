"""Every way to take a mark away over HTTP: fills, softening, holds used again, duplicates, and trying ways beside each other.

Every change names the version it was made on.
"""

from django.http import HttpRequest, HttpResponse
from fixes import shape
from fixes.document import Document
from fixes.models import Fix
from holds import sharing, stands
from laying import trying
from ninja import Router, Status
from plates import copying

from api.answers import answer, signed_in
from api.fix_asked import DuplicateIn, FillIn, OtherFixIn, SoftenIn
from api.fix_out import apply, fix_out, found_fix
from api.fix_schemas import FixOut, TryOut, WayOut
from hushcore.errors import HushError
from hushcore.recipe.models import FillData

router = Router(tags=["sources"])


@router.patch("fixes/{fix}/fill", response=FixOut)
def fill(request: HttpRequest, fix: int, payload: FillIn) -> FixOut:
    """How the mark's place is filled; it becomes the source."""

    def do(document: Document, found: Fix) -> str:
        donor = None
        if payload.donor is not None:
            other = _other(found, payload.donor)
            donor = sharing.surface_of(other)
        label = shape.set_fill(document, payload.fill, donor)
        stands.hold_as_asked(document, found)
        return label

    return apply(request, fix, payload.version, do)


@router.patch("fixes/{fix}/soften", response=FixOut)
def soften(request: HttpRequest, fix: int, payload: SoftenIn) -> FixOut:
    """How the mark is softened; it becomes the source."""

    def do(document: Document, found: Fix) -> str:
        label = shape.set_soften(document, payload.soften)
        stands.hold_as_asked(document, found)
        return label

    return apply(request, fix, payload.version, do)


@router.post("fixes/{fix}/behind", response=FixOut)
def behind(request: HttpRequest, fix: int, payload: OtherFixIn) -> FixOut:
    """What lies behind the mark is another fix's surface: filled from other frames on that hold, the edge on its own."""

    def do(document: Document, found: Fix) -> str:
        label = sharing.take_behind(document, found, _other(found, payload.other))
        shape.set_fill(document, FillData(kind="other frames"), None)
        return label

    return apply(request, fix, payload.version, do)


def _other(fix: Fix, number: int) -> Fix:
    other = fix.shot.fixes.filter(id=number).exclude(id=fix.id).first()
    if other is None:
        raise HushError(sharing.NOT_HERE, "not-here")
    return other


@router.post("fixes/{fix}/duplicate", response={201: FixOut})
def duplicate(request: HttpRequest, fix: int, payload: DuplicateIn) -> Status:
    """A copy right above it on the same hold, with or without its plates and strokes."""
    return Status(201, fix_out(copying.duplicate(found_fix(fix), payload.strokes, request.user)))


@router.get("fixes/{fix}/tries", response=list[WayOut])
def tries(request: HttpRequest, fix: int, frame: int) -> list[WayOut]:
    """The ways that fit, and the frames that each is shown on."""
    found = found_fix(fix)
    frames = list(dict.fromkeys(trying.frames_of(found, frame)))
    return [WayOut(key=way.key, words=way.words, frames=frames) for way in trying.ways(found)]


@router.get("fixes/{fix}/tries/{key}", response=TryOut)
def one_try(request: HttpRequest, fix: int, key: str, frame: int) -> TryOut:
    """A way's loudest tell on a frame; its picture is there after that at once."""
    made = trying.tried(found_fix(fix), key, frame)
    return TryOut(tell=made.tell, value=made.value)


@signed_in
def try_picture(request: HttpRequest, fix: int, key: str, frame: int) -> HttpResponse:
    """A way's crop of the spot on a frame."""
    return answer(trying.tried(found_fix(fix), key, frame).crop, "jpg", keep="v" in request.GET)
