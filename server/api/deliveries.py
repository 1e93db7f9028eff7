"""Deliveries over HTTP."""

from deliveries import actions
from deliveries.models import Delivery
from django.conf import settings
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from jobs.models import Shot, inside_root
from ninja import Router, Schema, Status

router = Router(tags=["deliveries"])


class DeliverIn(Schema):
    """The stretch to deliver."""

    first: int
    last: int
    with_look: bool = False
    with_preview: bool = False


class DeliveryOut(Schema):
    """A delivery and its proof so far."""

    id: int
    shot: int
    shot_name: str
    folder: str
    place: str
    first: int
    last: int
    state: str
    problem: str
    made: str
    seconds: float | None
    written: int
    total: int
    bytes: int
    values: int
    changed_inside: int
    changed_outside: int


def delivery_out(delivery: Delivery) -> DeliveryOut:
    """A delivery as the screens see it."""
    proof = actions.proof(delivery)
    took = (delivery.finished - delivery.made).total_seconds() if delivery.finished else None
    return DeliveryOut(
        id=delivery.id, shot=delivery.shot_id, shot_name=delivery.shot.name, folder=delivery.folder,
        place=str(inside_root(settings.DELIVERIES, delivery.folder)), first=delivery.first, last=delivery.last,
        state=delivery.state, problem=delivery.problem, made=delivery.made.isoformat(), seconds=took,
        written=proof["frames"], total=delivery.last - delivery.first + 1,
        bytes=sum(entry["bytes"] for entry in proof["files"]), values=proof["values"],
        changed_inside=proof["changed_inside"], changed_outside=proof["changed_outside"],
    )  # fmt: skip


@router.get("deliveries", response=list[DeliveryOut])
def list_deliveries(request: HttpRequest, shot: int | None = None) -> list[DeliveryOut]:
    """All deliveries, or a shot's."""
    found = Delivery.objects.select_related("shot").prefetch_related("frames")
    return [delivery_out(row) for row in (found.filter(shot=shot) if shot else found)]


@router.post("shots/{shot}/deliver", response={201: DeliveryOut})
def deliver(request: HttpRequest, shot: int, payload: DeliverIn) -> Status:
    """Write the finished frames."""
    found = get_object_or_404(Shot.objects.select_related("clip"), id=shot)
    return Status(
        201,
        delivery_out(
            actions.ask(found, payload.first, payload.last, request.user, payload.with_look, payload.with_preview)
        ),
    )


@router.post("deliveries/{delivery}/stop", response=DeliveryOut)
def stop(request: HttpRequest, delivery: int) -> DeliveryOut:
    """Stop; what is written stays."""
    return delivery_out(actions.stop(get_object_or_404(Delivery, id=delivery)))


@router.post("deliveries/{delivery}/go-on", response=DeliveryOut)
def go_on(request: HttpRequest, delivery: int) -> DeliveryOut:
    """Write what is missing."""
    return delivery_out(actions.go_on(get_object_or_404(Delivery, id=delivery)))


@router.delete("deliveries/{delivery}", response={204: None})
def clear(request: HttpRequest, delivery: int) -> Status:
    """Take its files away."""
    actions.clear(get_object_or_404(Delivery, id=delivery))
    return Status(204, None)
