"""Rendering in worker processes: chunks of frames, any number of workers, each frame proved as it is written."""

import json
import os
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.utils import timezone
from events.tell import tell
from fixes.document import Document, is_off
from fixes.models import Fix
from holds.current import current_hold
from jobs.models import Shot, inside_root
from jobs.viewing import View, seen
from laying import gathering
from laying.ready import ready
from procrastinate.contrib.django import app

from deliveries import actions
from deliveries.models import DeliveredFrame, Delivery
from hushcore.arrays import Codes
from hushcore.deliver.frames import FrameProof, deliver_chunk, finish
from hushcore.deliver.preview import write_preview
from hushcore.errors import HushError
from hushcore.media.movies import Movie
from hushcore.patch.fix import Fix as ReadyFix

PREVIEW_WIDTH = 1280


@app.task(queue="default", name="deliver")
def deliver(delivery: int, first: int, last: int) -> None:
    """Write first..last; frames that are written already are left alone."""
    found = Delivery.objects.select_related("shot__clip").filter(id=delivery).first()
    if found is None or found.stop_asked:
        return
    Delivery.objects.filter(id=delivery, state=Delivery.State.WAITING).update(state=Delivery.State.RENDERING)
    try:
        _chunk(found, first, last)
        _finish(found)
    except HushError as error:
        _failed(found, error.message)
        return
    except Exception:
        _failed(found, "Rendering broke down here. The frames written before it are whole; go on to try again.")
        raise


def _chunk(delivery: Delivery, first: int, last: int) -> None:
    media = delivery.shot.clip.media()
    folder = inside_root(settings.DELIVERIES, delivery.folder)
    done = set(delivery.frames.filter(frame__range=(first, last)).values_list("frame", flat=True))
    fixes = _fixes(delivery)
    wanted = [frame for frame in range(first, last + 1) if frame not in done]
    if wanted and isinstance(
        media, Movie
    ):  # a movie's segment is whole or not there: frames half told are written anew
        wanted = list(range(first, last + 1))
    alive = Delivery.objects.filter(id=delivery.id, stop_asked=False)

    def proved(proof: FrameProof) -> bool:
        with transaction.atomic():
            DeliveredFrame.objects.update_or_create(
                delivery=delivery, frame=proof.frame, defaults={"proof": proof.__dict__}
            )
            tell("delivered", delivery=delivery.id, shot=delivery.shot_id, frame=proof.frame)
        return alive.exists()

    if alive.exists():
        deliver_chunk(
            media, wanted, lambda frame: [fix for document, fix in fixes if not is_off(document, frame)], folder, proved
        )


def _fixes(delivery: Delivery) -> list[tuple[Document, ReadyFix]]:
    """The fixes as they stood when the delivery was asked for."""
    made = []
    for entry in delivery.recipe:
        fix = Fix.every.select_related("shot__clip").filter(id=entry["fix"]).first()
        if fix is None:
            raise HushError("A fix of this delivery was taken away; deliver anew.", "incomplete")
        fix.document = entry["document"]
        gathering.ensure(fix, current_hold(fix))
        prepared, hold = ready(fix)
        made.append((fix.document, replace(prepared, hold=hold.engine())))
    return made


def _failed(delivery: Delivery, problem: str) -> None:
    with transaction.atomic():
        Delivery.objects.filter(id=delivery.id).update(state=Delivery.State.FAILED, problem=problem, stop_asked=True)
        tell("delivery", delivery=delivery.id, shot=delivery.shot_id, state="failed")


def _finish(delivery: Delivery) -> None:
    """The last chunk to end writes the proof beside the frames."""
    with transaction.atomic():
        held = Delivery.objects.select_for_update().get(id=delivery.id)
        if held.stop_asked or held.frames.count() < held.last - held.first + 1 or held.state == Delivery.State.DONE:
            return
        folder = inside_root(settings.DELIVERIES, held.folder)
        finish(held.shot.clip.media(), range(held.first, held.last + 1), folder)
        _write_proof(folder, actions.proof(held))
        actions.write_look(held, folder)
        held.state, held.finished = Delivery.State.DONE, timezone.now()
        held.save(update_fields=["state", "finished"])
        Shot.objects.filter(id=held.shot_id).update(status=Shot.Status.DELIVERED)
        if held.with_preview:
            preview.defer(delivery=held.id)
        tell("delivery", delivery=held.id, shot=held.shot_id, state=held.state)


@app.task(queue="default", name="preview")
def preview(delivery: int) -> None:
    """A small graded movie of the delivered frames, for showing only; the one place where a look is in a picture."""
    held = Delivery.objects.select_related("shot__clip").filter(id=delivery).first()
    if held is None:
        return
    shot, folder = held.shot, inside_root(settings.DELIVERIES, held.folder)
    made = actions.delivered_clip(held)
    view = View(width=PREVIEW_WIDTH)
    first = made.first if isinstance(made, Movie) else held.first

    def pictures() -> Iterator[Codes]:
        for k in range(held.last - held.first + 1):
            yield seen(made.read(first + k), shot, view)

    try:
        write_preview(folder / f"{shot.clip.media().name}-preview.mp4", pictures(), shot.clip.rate)
    except HushError as error:
        Delivery.objects.filter(id=delivery).update(problem=f"The preview movie was not made: {error.message}")
    with transaction.atomic():
        tell("delivery", delivery=delivery, shot=held.shot_id, state=held.state)


def _write_proof(folder: Path, proof: object) -> None:
    part = folder / ".proof.part"
    part.write_text(json.dumps(proof, indent=1))
    os.replace(part, folder / "proof.json")
