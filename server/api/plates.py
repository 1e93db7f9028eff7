"""Plates, strokes and the round trip to an image editor over HTTP. Every change names the version it was made on."""

from typing import Literal

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from holds.current import current_hold
from laying import proposing, ready, roundtrip
from ninja import File, Form, Router, UploadedFile
from plates import retouching, suggest
from plates.models import Stroke
from plates.root import kept_if_used

from api.fix_asked import (
    IssueIn,
    PlateIdIn,
    PlateIn,
    PlateStartIn,
    ProtectIn,
    Real,
    SpotsIn,
    StrokeEditIn,
    StrokeIn,
    StrokesIn,
    VersionIn,
)
from api.fix_out import apply, fix_out, found_fix
from api.fix_schemas import ApartOut, FixOut, SuggestOut
from hushcore.arrays import Rect, padded_cut
from hushcore.errors import HushError
from hushcore.plates.plate import Plate
from hushcore.recipe.models import StrokeData, check
from hushcore.retouch.donor import nearby, tone_apart

router = Router(tags=["plates"])


SUFFIX = {"tif": "image/tiff", "png": "image/png", "exr": "application/octet-stream"}


@router.get("fixes/{fix}/suggest", response=list[SuggestOut])
def suggested(request: HttpRequest, fix: int) -> list[SuggestOut]:
    """Frames that would make the next plate, with the reasons."""
    found = found_fix(fix)
    made = suggest.suggestions(found, current_hold(found))
    return [SuggestOut(frame=one.frame, worth=round(one.worth, 3), words=one.words) for one in made]


@router.patch("fixes/{fix}/plate", response=FixOut)
def plate(request: HttpRequest, fix: int, payload: PlateIn) -> FixOut:
    """Take a frame as the plate, in place of the one that is worked on."""
    return apply(request, fix, payload.version, lambda d, f: retouching.set_plate(d, f, payload.frame))


@router.post("fixes/{fix}/plates", response=FixOut)
def add_plate(request: HttpRequest, fix: int, payload: PlateIn) -> FixOut:
    """Another plate beside those that are there."""
    return apply(request, fix, payload.version, lambda d, f: retouching.add_plate(d, f, payload.frame))


@router.post("fixes/{fix}/plates/choose", response=FixOut)
def choose_plate(request: HttpRequest, fix: int, payload: PlateIdIn) -> FixOut:
    """Which of the plates is worked on."""
    return apply(request, fix, payload.version, lambda d, _: retouching.choose_plate(d, payload.plate))


@router.post("fixes/{fix}/plates/drop", response=FixOut)
def drop_plate(request: HttpRequest, fix: int, payload: PlateIdIn) -> FixOut:
    """Take a plate out of the recipe."""
    return apply(request, fix, payload.version, lambda d, _: retouching.drop_plate(d, payload.plate))


@router.post("fixes/{fix}/plates/start", response=FixOut)
def start_plate(request: HttpRequest, fix: int, payload: PlateStartIn) -> FixOut:
    """Begin a plate from the result of the fixes below, from the frame as shot, or from an average of frames."""
    args = (payload.plate, payload.start, payload.average)
    return apply(request, fix, payload.version, lambda d, f: retouching.start_plate(d, f, *args))


@router.post("fixes/{fix}/plates/issue", response=FixOut)
def use_issue(request: HttpRequest, fix: int, payload: IssueIn) -> FixOut:
    """Go back to another issue of a plate."""
    return apply(request, fix, payload.version, lambda d, f: retouching.use_issue(d, f, payload.plate, payload.issue))


@router.get("fixes/{fix}/plates/{plate}/out")
def plate_out(
    request: HttpRequest, fix: int, plate: int, form: Literal["tif", "png", "exr"] = "tif", crop: bool = False,
    guide: bool = False,
) -> HttpResponse:  # fmt: skip
    """The plate's picture for an image editor, or the matte as a guide."""
    data, name = roundtrip.send_out(found_fix(fix), plate, form, crop, guide)
    kind = SUFFIX["png" if guide else form]
    return HttpResponse(
        data, content_type=kind, headers={"Content-Disposition": content_disposition_header(True, name) or ""}
    )


@router.post("fixes/{fix}/plates/{plate}/back", response=FixOut)
def plate_back(request: HttpRequest, fix: int, plate: int, version: Form[int], file: File[UploadedFile]) -> FixOut:
    """A picture of the plate's frame came back from an editor."""
    picture = roundtrip.take_back(found_fix(fix), plate, file.name or "the picture", file.read())
    with kept_if_used(picture):
        return apply(request, fix, version, lambda d, f: retouching.came_back(d, f, plate, picture))


@router.post("fixes/{fix}/strokes", response=FixOut)
def stroke(request: HttpRequest, fix: int, payload: StrokeIn) -> FixOut:
    """Lay a stroke on the plate."""
    return apply(request, fix, payload.version, lambda d, f: retouching.add_stroke(d, f, payload.stroke))


def _on_plate(made: Plate, x: float, y: float) -> None:
    """Raises HushError for a place beyond the plate."""
    rect = made.rect
    if not (rect.left <= x < rect.right and rect.top <= y < rect.bottom):
        raise HushError("This place lies outside the plate; choose one on its picture.", "bad-place")


@router.post("fixes/{fix}/propose", response=FixOut)
def propose(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Propose a retouch, or another one in place of one that nobody has touched. Takes some seconds."""
    return fix_out(proposing.another(found_fix(fix), payload.version, request.user))


@router.post("fixes/{fix}/keep", response=FixOut)
def keep(request: HttpRequest, fix: int, payload: VersionIn) -> FixOut:
    """Keep what is proposed."""
    return apply(request, fix, payload.version, lambda d, _: proposing.keep(d))


@router.post("fixes/{fix}/spots", response=FixOut)
def spots(request: HttpRequest, fix: int, payload: SpotsIn) -> FixOut:
    """Heal small spots, each from the nearest place that looks like its surroundings."""
    found = found_fix(fix)
    made, _ = ready.active_plate(found)
    many = []
    for x, y in payload.spots:
        _on_plate(made, x, y)
        offset = nearby(made.painted, made.rect, x, y, payload.radius, made.encoding)
        data = {
            "kind": "heal", "points": [(x, y, 1.0)], "radius": payload.radius, "hardness": retouching.SPOT_HARDNESS,
            "band": payload.band, "scale": payload.scale, "donor": {"offset": offset},
        }  # fmt: skip
        many.append(check(data, StrokeData, "The spot"))
    return apply(request, fix, payload.version, lambda d, f: retouching.add_strokes(d, f, many))


@router.patch("fixes/{fix}/strokes", response=FixOut)
def strokes(request: HttpRequest, fix: int, payload: StrokesIn) -> FixOut:
    """Switch, reorder or take away strokes."""
    entries = [entry.dict() for entry in payload.strokes]
    return apply(request, fix, payload.version, lambda d, f: retouching.set_strokes(d, f, entries))


@router.patch("fixes/{fix}/strokes/{stroke}", response=FixOut)
def edit_stroke(request: HttpRequest, fix: int, stroke: int, payload: StrokeEditIn) -> FixOut:
    """Another donor, size, opacity, band or place for a stroke that is laid."""
    changes = payload.dict(exclude={"version"}, exclude_none=True)
    if "span" in payload.model_fields_set:
        changes["span"] = payload.span
    return apply(request, fix, payload.version, lambda d, f: retouching.edit_stroke(d, f, stroke, changes))


@router.get("fixes/{fix}/strokes/{stroke}/path", response=list[tuple[float, float]])
def stroke_path(request: HttpRequest, fix: int, stroke: int) -> list[tuple[float, float]]:
    """Where a stroke goes on the still surface."""
    row = get_object_or_404(Stroke, id=stroke, plate__fix=fix)
    data = StrokeData.model_validate(row.data)
    return [(x + data.moved[0], y + data.moved[1]) for x, y, _ in data.points]


@router.get("fixes/{fix}/donor", response=ApartOut)
def donor(request: HttpRequest, fix: int, x: Real, y: Real, dx: Real, dy: Real, radius: Real) -> ApartOut:
    """How far a donor's tone is from the place that it would cover, on the plate as painted."""
    made, _ = ready.active_plate(found_fix(fix))
    _on_plate(made, x, y)
    _on_plate(made, x + dx, y + dy)
    reach = int(np.clip(radius, 2, 200))
    spot = Rect(int(x) - reach, int(y) - reach, int(x) + reach + 1, int(y) + reach + 1)
    local = spot.moved(-made.rect.left, -made.rect.top)
    sides = [padded_cut(made.painted, place) for place in (local, local.moved(round(dx), round(dy)))]
    apart = tone_apart(sides[0], sides[1], made.encoding)
    return ApartOut(difference=round(apart.difference, 2), lighter=round(apart.lighter, 2))


@router.get("fixes/{fix}/colour", response=tuple[float, float, float])
def colour(request: HttpRequest, fix: int, x: Real, y: Real, radius: Real = 2) -> tuple[float, float, float]:
    """The plate's mean linear light about a place, for the paint brush."""
    made, _ = ready.active_plate(found_fix(fix))
    _on_plate(made, x, y)
    reach = int(np.clip(radius, 1, 60))
    spot = Rect(int(x) - reach, int(y) - reach, int(x) + reach + 1, int(y) + reach + 1)
    mean = padded_cut(made.painted, spot.moved(-made.rect.left, -made.rect.top)).reshape(-1, 3).mean(0)
    return float(mean[0]), float(mean[1]), float(mean[2])


@router.patch("fixes/{fix}/protect", response=FixOut)
def protect(request: HttpRequest, fix: int, payload: ProtectIn) -> FixOut:
    """The outline that strokes must not leave."""
    nodes = None if payload.nodes is None else [node.model_dump(mode="json") for node in payload.nodes]
    return apply(request, fix, payload.version, lambda d, f: retouching.set_protect(d, f, nodes))
