"""A shot's report as HTML and PDF: fixes with their plates and strokes, tells over time, notes, proof of delivery."""

import base64
from pathlib import Path
from typing import Any

from accounts.log import name_of
from django.conf import settings
from django.template import Context, Engine
from django.utils import timezone
from django.utils.safestring import mark_safe
from fixes.document import missing_part
from fixes.models import Fix
from holds.models import Hold
from jobs.models import Shot
from jobs.pictures import as_bytes, codes_of
from jobs.viewing import View, seen
from laying import still
from plates.models import Plate
from tells.states import loudest

from deliveries.models import Delivery
from deliveries.ordering import totals
from deliveries.sheets import FONTS, Crops, Cut
from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.hold.in_frame import KIND
from hushcore.hold.report import held_otherwise
from hushcore.tells.measure import NAMES

WIDE = 900  # px of a whole frame
PLOT = (720, 110)  # of the tells over time
MOST = 3.0  # units of the plot's scale; what is louder stands at its top
COLOURS = dict(zip(NAMES, ("#3d6b5a", "#9a640a", "#b3401f", "#5a4aa8", "#2f6f9f", "#7a7a74"), strict=True))


def _uri(data: bytes, kind: str) -> str:
    return f"data:{kind};base64,{base64.b64encode(data).decode()}"


def _picture(codes: Codes) -> str:
    return _uri(as_bytes(codes, "jpg"), "image/jpeg")


FILES = {"report.pdf": "application/pdf", "report.html": "text/html", "sheet.png": "image/png"}


def place_of(shot: Shot, name: str) -> Path:
    """Where a file of a shot's report lies. Raises HushError for a name that is none of them."""
    if name not in FILES:
        raise HushError("There is no such file of a report.", "not-found")
    return Path(settings.REPORTS) / f"shot-{shot.id}" / name


def html(shot: Shot, cut: Cut, by: Any = None) -> str:
    """The report as one page that needs nothing beside it. ``cut``: the spots of its fixes, see ``sheets.all_crops``."""
    template = Engine(dirs=[str(FONTS.parent / "templates")], autoescape=True).get_template("report.html")
    return str(template.render(Context({**_facts(shot, cut, by), **_said(shot)})))


def pdf(page: str) -> bytes:
    """The same on A4 pages."""
    from weasyprint import HTML  # noqa: PLC0415

    return bytes(HTML(string=page).write_pdf())


def _facts(shot: Shot, cut: Cut, by: Any) -> dict[str, Any]:
    clip, view = shot.clip, View(width=WIDE)
    fixes = list(shot.fixes.all())
    held = Hold.objects.filter(id__in=[fix.document["hold"] for fix in fixes if fix.document["hold"]])
    anchors = [hold.anchor for hold in held.order_by("id") if shot.first <= hold.anchor <= shot.last]
    frame = anchors[0] if anchors else (shot.first + shot.last) // 2
    before, after = (
        seen(codes, shot, view) for codes in (codes_of(clip.media(), frame), still.patched_codes(shot, frame))
    )
    count = shot.last - shot.first + 1
    fonts = {
        name: _uri((FONTS / f"{file}.woff2").read_bytes(), "font/woff2")
        for name, file in (("sans", "spline-sans"), ("mono", "spline-sans-mono"))
    }
    return {
        "shot": shot, "status": shot.get_status_display(), "made": timezone.now().strftime("%Y-%m-%d %H:%M UTC"),
        "by": name_of(by), "poster": frame, "before": _picture(before), "after": _picture(after),
        "clip": f"{clip.media().name} · {clip.width} x {clip.height} · {clip.encoding.words} · {shot.first} to {shot.last}, "
                f"{count} frames at {clip.rate}" + (f" · {clip.timecode}" if clip.timecode else ""),
        "fixes": [_fix(fix, cut.get(fix.id, [])) for fix in fixes], **fonts,
    }  # fmt: skip


def _fix(fix: Fix, cut: Crops) -> dict[str, Any]:
    document, loud = fix.document, loudest(fix)
    rows = [(row.frame, row.values) for row in fix.tells.all()]
    quiet = sum(all(values[name] < 1 for name in NAMES) for _, values in rows)
    plates = Plate.objects.in_bulk([entry["id"] for entry in document["plates"]])
    return {
        "name": document["name"], "on": document["on"], "lacks": missing_part(document), "words": _words(fix),
        "plates": [
            {
                "frame": plates[entry["id"]].frame, "strokes": sum(stroke["on"] for stroke in entry["strokes"]),
                "from": "a finished picture" if plates[entry["id"]].picture else "the frame itself",
            }
            for entry in document["plates"] if entry["id"] in plates
        ],
        "crops": [{"frame": n, "before": _picture(a), "after": _picture(b)} for n, a, b in cut],
        "loud": loud, "level": _level(loud), "quiet": quiet, "measured": len(rows),
        "plot": mark_safe(plot(rows, fix.shot)) if rows else "",
    }  # fmt: skip


def _words(fix: Fix) -> str:
    document = fix.document
    hold = Hold.objects.filter(id=document["hold"]).first() if document["hold"] else None
    parts = [
        document["source"]
        + (f" ({document['fill']['kind']})" if document["source"] == "fill" and document["fill"] else "")
    ]
    if hold is not None:
        parts.append("standing in the frame" if hold.kind == KIND else f"held as {hold.kind}, anchor {hold.anchor}")
        rows = hold.known.defer("data")
        parts += [one.words for one in held_otherwise({row.frame: row.how for row in rows if not row.gone})]
    if document["source"] != "unveil":  # there is nothing to match
        parts.append(f"light {document['match']['light']}, grain {document['match']['grain']}")
    return ", ".join(parts)


def _level(loud: dict[str, Any] | None) -> str:
    if loud is None:
        return ""
    return "quiet" if loud["value"] < 1 else "noticeable" if loud["value"] < 2 else "loud"


def plot(rows: list[tuple[int, dict[str, float]]], shot: Shot) -> str:
    """The tells over time as an SVG drawing: a line each, one line at 1.0."""
    wide, tall = PLOT
    count = max(1, shot.last - shot.first)

    def at(frame: int, value: float) -> str:
        return f"{20 + (wide - 30) * (frame - shot.first) / count:.1f},{tall - 18 - (tall - 30) * min(value, MOST) / MOST:.1f}"

    lines, one = [], at(shot.first, 1.0).split(",")[1]
    for k, name in enumerate(NAMES):
        points = " ".join(at(frame, values[name]) for frame, values in sorted(rows))
        lines.append(f'<polyline points="{points}" fill="none" stroke="{COLOURS[name]}" stroke-width="1.2"/>')
        lines.append(f'<text x="{24 + 74 * k}" y="9" font-size="8" fill="{COLOURS[name]}">{name}</text>')
    return (
        f'<svg viewBox="0 0 {wide} {tall}" width="100%" role="img" aria-label="Tells over time">'
        f'<line x1="20" x2="{wide - 10}" y1="{one}" y2="{one}" stroke="#999" stroke-dasharray="3 3"/>'
        f'<text x="2" y="{one}" font-size="8">1.0</text><text x="20" y="{tall - 4}" font-size="8">{shot.first}</text>'
        f'<text x="{wide - 10}" y="{tall - 4}" font-size="8" text-anchor="end">{shot.last}</text>{"".join(lines)}</svg>'
    )


def _said(shot: Shot) -> dict[str, Any]:
    """Notes, verdicts and deliveries."""
    rows = shot.notes.select_related("by").prefetch_related("answers__by")
    return {
        "notes": [
            {
                "frame": row.frame, "words": row.words, "by": name_of(row.by), "done": row.done,
                "answers": [{"by": name_of(answer.by), "words": answer.words} for answer in row.answers.all()],
            }
            for row in rows
        ],
        "verdicts": [
            {
                "version": row.version.name, "approved": row.approved, "by": name_of(row.by), "words": row.words,
                "made": row.made.strftime("%Y-%m-%d %H:%M"),
            }
            for row in shot.verdicts.select_related("version", "by")
        ],
        "deliveries": [_delivery(row) for row in shot.deliveries.all()],
    }  # fmt: skip


def _delivery(delivery: Delivery) -> dict[str, Any]:
    known = totals(delivery)
    return {
        "folder": delivery.folder, "first": delivery.first, "last": delivery.last, "state": delivery.state,
        "pieces": known["pieces"], "outside": f"{known['changed_outside']:,}", "values": f"{known['values']:,}",
        "inside": f"{known['changed_inside']:,}", "coded": known["coded"]["worst"] if known["coded"] else None,
        "checked": delivery.checked["words"] if delivery.checked else "",
    }  # fmt: skip
