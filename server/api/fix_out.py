"""A fix as the screens see it: made of its hold, edge, plates, tells and what is chosen."""

from collections.abc import Callable
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from django.db.models import Q
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from fixes import change as changes
from fixes.document import Document, fill_of, is_off, missing_part, outline_of, soften_of
from fixes.models import Fix, Path
from holds import sharing
from holds.models import Hold, HoldFrame
from laying import bases, behind, evidence, ready
from plates.known import strokes
from plates.models import Artwork, Plate
from plates.retouching import PROPOSED
from tells import states as judged

from api.fix_schemas import (
    ArtOut,
    EdgeOut,
    FixOut,
    HeldOut,
    HoldOut,
    IssueOut,
    KeyOut,
    LoudOut,
    OtherwiseOut,
    PlateOut,
    StrokeOut,
    WeakOut,
)
from hushcore.edge.outline import Nodes
from hushcore.errors import HushError
from hushcore.hold.confidence import CELL
from hushcore.hold.report import Note, held_otherwise, weak_stretches
from hushcore.plates.plate import still_rect
from hushcore.recipe.models import FillData, FrontData, Node, NodesKey, OutlineData, SoftenData


def _rows(hold: Hold) -> list[HoldFrame]:
    """The frames that a hold knows, without their maps."""
    return [row for row in hold.known.defer("data") if not row.gone]


def hold_out(hold: Hold, rows: list[HoldFrame] | None = None) -> HoldOut:
    """A hold as the screens see it. ``rows``: its frames, when they are at hand."""
    engine = hold.engine(frames=False)
    rect = ready.view_rect(hold, engine)
    rows = _rows(hold) if rows is None else rows
    notes = {
        row.frame: Note(
            row.drift_rms, row.lost, row.trouble, row.hidden, row.off, tuple(row.place) if row.place else None
        )
        for row in rows
    }
    return HoldOut(
        id=hold.id, kind=hold.kind, method=hold.method, anchor=hold.anchor, first=hold.first, last=hold.last,
        state=hold.state, work=hold.work, done=hold.passed + sum(row.hold_id == hold.id for row in rows), wanted=hold.wanted,
        problem=hold.problem, settling=hold.settling, trying=hold.trying, ground=hold.ground, grid=hold.grid,
        still_left=rect.left, still_top=rect.top,
        still_width=rect.width, still_height=rect.height, cells_left=engine.corner[0], cells_top=engine.corner[1],
        cell=CELL,
        frames=[
            HeldOut.model_construct(
                frame=row.frame, drift=round(row.drift_rms, 2), seen=row.seen, lost=row.lost, trouble=row.trouble, how=row.how,
                hidden=row.hidden, off=row.off, by=row.hold_id,
            )
            for row in rows
        ],
        keys=[KeyOut(frame=int(frame), pins=key["pins"]) for frame, key in sorted(hold.keys.items(), key=lambda k: int(k[0]))],
        weak=[WeakOut(**asdict(weak)) for weak in weak_stretches(notes, hold.anchor)],
        otherwise=[OtherwiseOut(**asdict(one)) for one in held_otherwise({row.frame: row.how for row in rows})],
    )  # fmt: skip


def fix_out(fix: Fix) -> FixOut:
    """A fix as the screens see it."""
    document = fix.document
    hold = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    edge = document["edge"]
    outlines = _outlines(fix)
    frames = _rows(hold) if hold else []
    protect = Path.objects.filter(id=document["protect"]).first() if document["protect"] else None
    steps = {
        step.number: step
        for step in fix.revisions.filter(number__in=(fix.revision, fix.revision + 1)).defer("document")
    }
    back = steps.get(fix.revision) if fix.revision > 1 else None
    again = steps.get(fix.revision + 1)
    plates = plates_out(fix, hold) if hold else []
    loud = judged.loudest(fix)
    said = evidence.row_of(fix, hold) if hold else None
    return FixOut(
        id=fix.id, shot=fix.shot_id, order=fix.order, version=fix.version, name=document["name"], on=document["on"],
        lacks=missing_part(document), hold=hold_out(hold, frames) if hold else None,
        edge=EdgeOut(
            nodes=_first_nodes(outlines), outlines=outlines, growth=edge["growth"],
            softness=edge["softness"], inside=edge["inside"],
        ),
        plate=next((plate for plate in plates if plate.id == document["plate"]), None), plates=plates,
        strokes=_strokes_out(document), source=document["source"], blend=document["blend"],
        stands=document["stands"] or bool(edge.get("hold")),
        **_source_out(fix, document), art=_art_out(document),
        front=FrontData(
            auto=document["front"]["auto"],
            shapes=[OutlineData.model_validate(outline_of(shape)) for shape in document["front"]["shapes"]],
        ),
        protect=protect.nodes if protect else None, match=document["match"],
        settled=said.id if said else 0, loud=LoudOut(**loud) if loud else None,
        off=document.get("off", []), proposed=(document.get("proposed") or {}).get("words", ""),
        undo=back.label if back else "", undo_at=back.made.timestamp() if back else 0,
        redo=again.label if again else "", redo_at=fix.changed.timestamp() if again else 0,
        suggested_plate=_suggested(hold, frames) if hold else None,
    )  # fmt: skip


def _source_out(fix: Fix, document: Document) -> dict[str, Any]:
    """What the source needs, and what the fix shares."""
    fill = dict(fill_of(document))
    donor = fill.pop("donor", None)
    owner = Hold.objects.filter(id=donor).values_list("fix", flat=True).first() if donor else None
    carrier = document["edge"].get("hold")
    return {
        "fill": FillData.model_validate(fill), "donor": owner, "soften": SoftenData.model_validate(soften_of(document)),
        "shares": [other.document["name"] for other in sharing.sharing(fix)],
        "kept": behind.on_disk(fix) if fill["kind"] == "other frames" else 0,
        "carried": CARRIED if carrier else "", "unmasked": _unmasked(fix, document) if carrier else "",
    }  # fmt: skip


KEY_EVERY = 4  # frames between the keys of a carried edge that are drawn


def _outlines(fix: Fix) -> list[OutlineData]:
    """The edge's outlines; one that another hold carries in frame px, with keys that are near enough for drawing."""
    plain = [OutlineData.model_validate(outline_of(outline)) for outline in fix.document["edge"]["outlines"]]
    if not fix.document["edge"].get("hold"):
        return plain
    try:
        edge = bases.edge_of(fix)
    except HushError:
        return plain
    made = []
    for one, outline in zip(plain, edge.outlines, strict=True):
        keys = [NodesKey(frame=frame, nodes=_nodes_out(nodes)) for frame, nodes in outline.keys[::KEY_EVERY]]
        made.append(one.model_copy(update={"nodes": None, "polygon": None, "keys": keys}))
    return made


def _nodes_out(nodes: Nodes) -> list[Node]:
    rows = zip(nodes.points, nodes.into, nodes.out, nodes.soft, strict=True)
    return [
        Node(x=float(p[0]), y=float(p[1]), into=(float(a[0]), float(a[1])), out=(float(b[0]), float(b[1])), soft=float(s))
        for p, a, b, s in rows
    ]  # fmt: skip


CARRIED = "The edge rides the hold that it was circled with; the picture lies on what is behind it."


def _unmasked(fix: Fix, document: Document) -> str:
    """The stretches on which nothing is masked, in words."""
    try:
        edge = bases.edge_of(fix)
    except HushError as problem:
        return problem.message
    shot = fix.shot
    gaps = edge.unmasked(n for n in range(shot.first, shot.last + 1) if not is_off(document, n))
    if not gaps:
        return ""
    said = ", ".join(f"{first} to {last}" if last > first else str(first) for first, last in gaps[:4])
    return f"Nothing is masked on {said}{' and more' if len(gaps) > 4 else ''}, so nothing is filled there."


def _first_nodes(outlines: list[OutlineData]) -> list[Node]:
    """The first outline's points, on its first key if it is keyed."""
    if not outlines:
        return []
    return outlines[0].keys[0].nodes if outlines[0].keys else outlines[0].nodes or []


def _strokes_out(document: Document) -> list[StrokeOut]:
    entry = next((entry for entry in document["plates"] if entry["id"] == document["plate"]), None)
    if entry is None:
        return []
    strokes([stroke["id"] for stroke in entry["strokes"]])  # read at once what is not known yet
    made = [_stroke_out(stroke["id"], stroke["on"]) for stroke in entry["strokes"]]
    return [one for one in made if one is not None]


SHOWN = ("kind", "radius", "hardness", "opacity", "flow", "band", "scale", "donor", "amount", "moved", "span")


@lru_cache(maxsize=16_000)
def _stroke_out(number: int, on: bool) -> StrokeOut | None:
    """A stroke is never changed once made."""
    data = strokes([number]).get(number)
    if data is None:
        return None
    facts = {name: getattr(data, name) for name in SHOWN}
    return StrokeOut(id=number, on=on, at=data.points[0][:2], **facts)


def _art_out(document: Document) -> ArtOut | None:
    art = document["art"]
    row = Artwork.objects.filter(id=art["id"]).first() if art else None
    if row is None:
        return None
    return ArtOut(
        id=row.id, name=row.name, width=row.width, height=row.height, corners=art["corners"], mode=art["mode"],
        opacity=art["opacity"],
    )  # fmt: skip


def _suggested(hold: Hold, rows: list[HoldFrame]) -> int:
    """The frame that shows the spot most clearly, once the hold is done; before that the anchor."""
    if hold.state != Hold.State.DONE:
        return hold.anchor
    clear = [row for row in rows if not row.lost and row.worth > 0]
    return max(clear, key=lambda row: (row.worth, -row.frame)).frame if clear else hold.anchor


def plates_out(fix: Fix, hold: Hold) -> list[PlateOut]:
    """The recipe's plates, each with the stretch that it serves."""
    entries = fix.document["plates"]
    rows = Plate.objects.in_bulk([entry["id"] for entry in entries])
    engine = hold.engine(frames=False)
    every = sorted(rows[entry["id"]].frame for entry in entries)
    made = []
    for entry in entries:
        row = rows[entry["id"]]
        rect = still_rect(engine, row.frame)
        k = every.index(row.frame)
        by_light = fix.document["blend"] == "light"
        made.append(
            PlateOut(
                id=row.id, frame=row.frame, left=rect.left, top=rect.top, width=rect.width, height=rect.height,
                start=row.start, average=row.average, strokes=len(entry["strokes"]),
                issues=[
                    IssueOut(id=other.id, issue=other.issue, outside=bool(other.picture))
                    for other in fix.plates.filter(Q(id=row.id) | Q(issue__gt=PROPOSED), frame=row.frame).order_by("issue", "id")
                ],
                first=hold.first if k == 0 or by_light else every[k - 1] + 1,
                last=hold.last if k == len(every) - 1 or by_light else every[k + 1] - 1,
            )
        )  # fmt: skip
    return made


def found_fix(fix: int) -> Fix:
    return get_object_or_404(Fix.objects.select_related("shot__clip"), id=fix)


Do = Callable[[Document, Fix], str]


def apply(request: HttpRequest, fix: int, version: int, do: Do) -> FixOut:
    """A change of a fix's document, as the request asks."""
    found = found_fix(fix)
    return fix_out(changes.change(fix, version, request.user, lambda document: do(document, found)))
