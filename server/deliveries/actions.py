"""Asking for a delivery, stopping it, taking it up again, clearing its files."""

import re
import shutil
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from events.tell import tell
from fixes import change as changes
from fixes.document import is_off, missing_part
from holds.models import Hold
from jobs.models import Shot, inside_root
from jobs.viewing import look_of
from procrastinate.contrib.django import app

from deliveries.models import Delivery
from hushcore.colour.looks import write_cdl, write_lut
from hushcore.deliver.frames import FrameProof, check_place, check_room, summary
from hushcore.errors import HushError
from hushcore.media import lossless
from hushcore.media.footage import Footage
from hushcore.media.movies import Movie, open_movie
from hushcore.media.pictures import delivered_suffix

CHUNK = 8


def ask(
    shot: Shot,
    first: int,
    last: int,
    by: AbstractBaseUser | None,
    with_look: bool = False,
    with_preview: bool = False,
) -> Delivery:
    """Deliver first..last with the fixes as they stand now.

    Raises HushError when a fix lacks something, the hold does not cover the range, or the disk cannot hold the frames.
    """
    media = shot.clip.media()
    numbers = media.check_range(first, last)
    if first < shot.first or last > shot.last:
        raise HushError(
            f"The range leaves the shot ({shot.first} to {shot.last}); change its in and out first.", "bad-range"
        )
    recipe = recipe_of(shot, numbers)
    with transaction.atomic():
        delivery = Delivery.objects.create(
            shot=shot,
            folder="",
            first=first,
            last=last,
            recipe=recipe,
            by=changes.person(by),
            with_look=with_look,
            with_preview=with_preview,
        )
        name = re.sub(r"[^A-Za-z0-9._-]+", "-", shot.name).strip("-.") or "shot"
        delivery.folder = f"{name}-{delivery.id:04d}"
        folder = inside_root(settings.DELIVERIES, delivery.folder)
        check_place(media, folder)
        check_room(media, numbers, folder)
        delivery.save(update_fields=["folder"])
        queue(delivery)
        tell("delivery", delivery=delivery.id, shot=shot.id, state=delivery.state)
    return delivery


def recipe_of(shot: Shot, numbers: list[int]) -> list[dict[str, Any]]:
    """The fixes that are on, as documents. Raises HushError for one that cannot be laid on every frame."""
    documents = []
    for fix in shot.fixes.all():
        document = fix.document
        if not document["on"]:
            continue
        lacking = missing_part(document)
        if lacking:
            raise HushError(f"{document['name']}: {lacking} Or switch it off to deliver without it.", "incomplete")
        hold = Hold.objects.get(id=document["hold"])
        if hold.running:
            raise HushError(f"{document['name']} is still tracking; deliver when it is done.", "not-held")
        held = {*(row.frame for row in hold.known.defer("data") if not row.gone), hold.anchor}
        open_frames = [n for n in numbers if n not in held and not is_off(document, n)]
        if open_frames:
            raise HushError(
                f"{document['name']} is not held on {len(open_frames)} frames ({open_frames[0]} to {open_frames[-1]}); "
                "track to them, switch the fix off there, or deliver a shorter range.",
                "not-held",
            )
        documents.append({"fix": fix.id, "document": document})
    if not documents:
        raise HushError("No fix is on: circle something first, or switch a fix on.", "incomplete")
    return documents


def queue(delivery: Delivery) -> None:
    """A job for each chunk of frames not yet written, so that several workers share them."""
    done = set(delivery.frames.values_list("frame", flat=True))
    for start in range(delivery.first, delivery.last + 1, CHUNK):
        end = min(start + CHUNK - 1, delivery.last)
        if not set(range(start, end + 1)) <= done:
            app.configure_task("deliver").defer(delivery=delivery.id, first=start, last=end)


@transaction.atomic
def stop(delivery: Delivery) -> Delivery:
    """Stop; frames already written are whole and stay."""
    found = Delivery.objects.select_for_update().get(id=delivery.id)
    if found.state in (Delivery.State.WAITING, Delivery.State.RENDERING):
        found.stop_asked, found.state = True, Delivery.State.STOPPED
        found.save(update_fields=["stop_asked", "state"])
        tell("delivery", delivery=found.id, shot=found.shot_id, state=found.state)
    return found


@transaction.atomic
def go_on(delivery: Delivery) -> Delivery:
    """Write the frames that are still missing."""
    found = Delivery.objects.select_for_update().get(id=delivery.id)
    if found.state in (Delivery.State.STOPPED, Delivery.State.FAILED):
        found.stop_asked, found.problem, found.state = False, "", Delivery.State.WAITING
        found.save()
        queue(found)
        tell("delivery", delivery=found.id, shot=found.shot_id, state=found.state)
    return found


@transaction.atomic
def clear(delivery: Delivery) -> None:
    """Take a delivery's files and its row away."""
    stop(delivery)
    if delivery.folder:
        shutil.rmtree(inside_root(settings.DELIVERIES, delivery.folder), ignore_errors=True)
    tell("delivery", delivery=delivery.id, shot=delivery.shot_id, gone=True)
    delivery.delete()


def delivered_clip(delivery: Delivery) -> Footage:
    """The delivered frames as a clip."""
    media = delivery.shot.clip.media()
    folder = inside_root(settings.DELIVERIES, delivery.folder)
    if isinstance(media, Movie):
        return open_movie(folder / f"{media.name}{lossless.SUFFIX}", 0, delivery.shot.clip.rate)
    return replace(
        media,
        folder=folder,
        suffix=delivered_suffix(media.suffix),
        frames=tuple(range(delivery.first, delivery.last + 1)),
    )


def write_look(delivery: Delivery, folder: Path) -> None:
    """The look beside the frames, when that was asked for: a ``.cube`` of all of it, and its CDL."""
    if not delivery.with_look:
        return
    shot = delivery.shot
    look = look_of(shot)
    write_lut(folder / "look.cube", look, shot.clip.encoding)
    if look.cdl:
        write_cdl(folder / "look.cdl", look.cdl, shot.name)


def proof(delivery: Delivery) -> dict[str, Any]:
    """The proof over the frames written so far."""
    return summary([FrameProof(**row.proof) for row in delivery.frames.all()])
