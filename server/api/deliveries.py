"""Deliveries over HTTP."""

from datetime import timedelta
from typing import Any

from deliveries import actions, edits, ordering, reports
from deliveries.models import Delivery, Preset, Report
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from jobs import members, stamps
from jobs.models import Job, Shot
from ninja import Router, Status
from procrastinate.contrib.django import app

from api.delivery_schemas import (
    DeliverIn,
    DeliveryOut,
    FormOut,
    PresetIn,
    PresetOut,
    PriorityIn,
    ReportOut,
    forms,
)
from api.job_schemas import ShotOut
from api.jobs import shot_out
from hushcore.deliver import naming
from hushcore.errors import HushError
from hushcore.media import edit_out

router = Router(tags=["deliveries"])
LATELY = timedelta(seconds=60)  # over which a delivery's speed is told


def delivery_out(delivery: Delivery) -> DeliveryOut:
    """A delivery as the screens see it."""
    known = ordering.totals(delivery)
    took = (delivery.finished - (delivery.begun or delivery.made)).total_seconds() if delivery.finished else None
    total = delivery.last - delivery.first + 1
    speed, workers = _speed(delivery) if delivery.running else (0.0, [])
    left = (total - known["frames"]) / speed if speed else None
    return DeliveryOut(
        id=delivery.id, shot=delivery.shot_id, shot_name=delivery.shot.name, job=delivery.shot.job_id,
        job_name=delivery.shot.job.name, folder=delivery.folder, first=delivery.first, last=delivery.last,
        state=delivery.state, problem=delivery.problem, by=_name(delivery.by), made=delivery.made.isoformat(), seconds=took,
        priority=delivery.priority, pieces=known["pieces"], written=known["frames"], total=total, speed=round(speed, 2),
        left=None if left is None else round(left, 1), workers=workers,
        bytes=known["bytes"], values=known["values"], changed_inside=known["changed_inside"],
        changed_outside=known["changed_outside"], coded=known["coded"],
        checked=delivery.checked, fixes=[entry["document"]["name"] for entry in delivery.recipe],
    )  # fmt: skip


def _name(person: Any) -> str:
    return (person.get_full_name() or person.get_username()) if person else ""


def _speed(delivery: Delivery) -> tuple[float, list[str]]:
    """Frames a second lately, and the workers that wrote them."""
    now = timezone.now()
    since = max(now - LATELY, delivery.begun or now)
    rows = delivery.frames.filter(made__gte=since)
    workers = sorted(set(rows.values_list("worker", flat=True)) - {""})
    span = (now - since).total_seconds()
    return (rows.count() / span if span > 1 else 0.0), workers


def _found(delivery: int) -> Delivery:
    rows = Delivery.objects.select_related("shot__clip", "shot__job", "by")
    found: Delivery = get_object_or_404(rows, id=delivery)
    return found


@router.get("deliveries", response=list[DeliveryOut])
def list_deliveries(request: HttpRequest, shot: int | None = None) -> list[DeliveryOut]:
    """The deliveries of the jobs that one works in, or a shot's."""
    found = Delivery.objects.filter(shot__job__in=members.jobs_of(request.user, "work"))
    found = found.select_related("shot__clip", "shot__job", "by")
    return [delivery_out(row) for row in (found.filter(shot=shot) if shot else found)]


@router.get("deliveries/forms", response=list[FormOut])
def list_forms(request: HttpRequest) -> list[FormOut]:
    """The forms that frames can be written in."""
    return forms()


@router.post("shots/{shot}/deliver", response={201: DeliveryOut})
def deliver(request: HttpRequest, shot: int, payload: DeliverIn) -> Status:
    """Write the finished frames, mattes, the patch alone, previews."""
    found = get_object_or_404(Shot.objects.select_related("clip", "job"), id=shot)
    pieces = [piece.dict() for piece in payload.pieces]
    made = actions.ask(
        found, payload.first, payload.last, request.user, pieces, payload.with_look, payload.folder, payload.priority
    )
    return Status(201, delivery_out(made))


@router.post("shots/{shot}/take-footage", response=ShotOut)
def take_footage(request: HttpRequest, shot: int) -> ShotOut:
    """Take footage that has changed on the disk as it is now."""
    found = get_object_or_404(Shot.objects.select_related("clip", "job"), id=shot)
    stamps.take(found.clip)
    return shot_out(found)


@router.post("deliveries/{delivery}/stop", response=DeliveryOut)
def stop(request: HttpRequest, delivery: int) -> DeliveryOut:
    """Stop; what is written stays."""
    actions.stop(_found(delivery))
    return delivery_out(_found(delivery))


@router.post("deliveries/{delivery}/go-on", response=DeliveryOut)
def go_on(request: HttpRequest, delivery: int) -> DeliveryOut:
    """Write what is missing."""
    actions.go_on(_found(delivery))
    return delivery_out(_found(delivery))


@router.post("deliveries/{delivery}/again", response={201: DeliveryOut})
def again(request: HttpRequest, delivery: int) -> Status:
    """The same pieces anew, with the fixes as they stand now."""
    return Status(201, delivery_out(actions.again(_found(delivery), request.user)))


@router.post("deliveries/{delivery}/check", response={202: DeliveryOut})
def check(request: HttpRequest, delivery: int) -> Status:
    """Read it back and hold it against its proof."""
    return Status(202, delivery_out(actions.check_again(_found(delivery))))


@router.patch("deliveries/{delivery}/priority", response=DeliveryOut)
def set_priority(request: HttpRequest, delivery: int, payload: PriorityIn) -> DeliveryOut:
    """Let it go before others, or after."""
    actions.set_priority(_found(delivery), payload.priority)
    return delivery_out(_found(delivery))


@router.delete("deliveries/{delivery}", response={204: None})
def clear(request: HttpRequest, delivery: int) -> Status:
    """Take its files away."""
    actions.clear(_found(delivery), request.user)
    return Status(204, None)


@router.post("shots/{shot}/report", response={202: ReportOut})
def ask_report(request: HttpRequest, shot: int) -> Status:
    """Have the shot's report and contact sheet made."""
    found = get_object_or_404(Shot, id=shot)
    with transaction.atomic():
        row, _ = Report.objects.update_or_create(shot=found, defaults={"by": request.user, "made": None, "problem": ""})
        app.configure_task("report", priority=2).defer(shot=found.id)
    return Status(202, _report(row))


@router.get("shots/{shot}/report", response=ReportOut)
def get_report(request: HttpRequest, shot: int) -> ReportOut:
    """Whether the shot's report is made."""
    row = Report.objects.filter(shot=get_object_or_404(Shot, id=shot)).first()
    return ReportOut(asked=False, made="", problem="") if row is None else _report(row)


def _report(row: Report) -> ReportOut:
    return ReportOut(asked=True, made=row.made.isoformat() if row.made else "", problem=row.problem)


@router.get("shots/{shot}/report/{name}")
def report_file(request: HttpRequest, shot: int, name: str) -> HttpResponse:
    """The report as PDF or HTML, or the contact sheet as a picture."""
    place = reports.place_of(get_object_or_404(Shot, id=shot), name)
    if not place.is_file():
        raise HushError("This report is not made yet; have it made first.", "not-found")
    plain = {"Cache-Control": "private, no-cache", "Content-Disposition": f'inline; filename="{name}"'}
    return HttpResponse(place.read_bytes(), content_type=reports.FILES[name], headers=plain)


@router.get("jobs/{job}/edit")
def edit(request: HttpRequest, job: int, form: str = "otio") -> HttpResponse:
    """The job's shots in their order with what was delivered of them in place, as OpenTimelineIO or CMX 3600."""
    found = get_object_or_404(Job, id=job)
    text = edits.edit_of(found, form)
    name = f"{naming.plain(found.name)}.{form}"
    plain = {"Content-Disposition": f'attachment; filename="{name}"'}
    return HttpResponse(text, content_type=edit_out.FORMS[form], headers=plain)


@router.get("jobs/{job}/presets", response=list[PresetOut])
def list_presets(request: HttpRequest, job: int) -> list[PresetOut]:
    """What a job delivers each time."""
    found = get_object_or_404(Job, id=job)
    return [_preset(row) for row in found.presets.all()]


@router.post("jobs/{job}/presets", response={201: PresetOut})
def keep_preset(request: HttpRequest, job: int, payload: PresetIn) -> Status:
    """Keep what is delivered under a name; one of that name is replaced."""
    name = payload.name.strip()
    if not name:
        raise HushError("Give the preset a name.", "no-name")
    pieces = [piece.dict() for piece in payload.pieces]
    row, _ = Preset.objects.update_or_create(
        job=get_object_or_404(Job, id=job), name=name, defaults={"pieces": pieces, "with_look": payload.with_look}
    )
    return Status(201, _preset(row))


@router.delete("presets/{preset}", response={204: None})
def drop_preset(request: HttpRequest, preset: int) -> Status:
    """Forget a preset."""
    get_object_or_404(Preset, id=preset).delete()
    return Status(204, None)


def _preset(row: Preset) -> PresetOut:
    return PresetOut(id=row.id, name=row.name, pieces=row.pieces, with_look=row.with_look)
