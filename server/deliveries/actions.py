"""Asking for a delivery, stopping it, taking it up again, reading it back, clearing its files."""

import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from accounts.log import note
from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from events.tell import tell
from fixes import change as changes
from fixes.document import is_off, missing_part
from holds.models import Hold
from jobs import stamps
from jobs.models import Shot
from jobs.viewing import look_of
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from deliveries import ordering
from deliveries.models import Delivery
from deliveries.ordering import folder_of, order_of, proofs_of
from hushcore.colour.looks import write_cdl, write_lut
from hushcore.deliver.frames import check_place, check_room
from hushcore.deliver.movie import segment_path
from hushcore.deliver.pieces import Piece
from hushcore.errors import HushError

CHUNK = 8
QUEUE = "deliver"
FRAMES = [Piece().plain()]


def ask(
    shot: Shot,
    first: int,
    last: int,
    by: AbstractBaseUser | None,
    pieces: Sequence[dict[str, Any]] = (),
    with_look: bool = False,
    folder: str = "",
    priority: int = 0,
) -> Delivery:
    """Deliver first..last with the fixes as they stand now; ``pieces``: what is written, the frames as the source is by default.

    Raises HushError when a fix lacks something, the hold does not cover the range, footage has changed, a piece cannot be
    written, the folder is taken, or the disk cannot hold it all. Nothing is made then.
    """
    media = shot.clip.media()
    numbers = media.check_range(first, last)
    if first < shot.first or last > shot.last:
        raise HushError(
            f"The range leaves the shot ({shot.first} to {shot.last}); change its in and out first.", "bad-range"
        )
    stamps.check(shot.clip, numbers)
    recipe = recipe_of(shot, numbers)
    with transaction.atomic():
        delivery = Delivery.objects.create(
            shot=shot, folder="", first=first, last=last, recipe=recipe, by=changes.person(by), with_look=with_look,
            look=shot.look, pieces=list(pieces) or FRAMES, priority=priority,
        )  # fmt: skip
        delivery.words = ordering.words_of(shot, delivery.id)
        ready = order_of(delivery)
        delivery.pieces = [piece.plain() for piece in ready.pieces]
        delivery.folder = _free_folder(delivery, folder)
        check_place(media, folder_of(delivery))
        check_room(ready, numbers, folder_of(delivery))
        delivery.save(update_fields=["folder", "words", "pieces"])
        _make_folder(folder_of(delivery))
        queue(delivery)
        note(by, "asked for a delivery", f"{shot.name} {first}-{last} into {delivery.folder}", shot.job_id, shot.id)
        tell("delivery", delivery=delivery.id, shot=shot.id, state=delivery.state)
    return delivery


def again(delivery: Delivery, by: AbstractBaseUser | None) -> Delivery:
    """The same pieces anew with the fixes as they stand now; frames that nothing touches are taken over from before."""
    return ask(
        delivery.shot, delivery.first, delivery.last, by, delivery.pieces, delivery.with_look, "", delivery.priority
    )


def _free_folder(delivery: Delivery, given: str) -> str:
    """A folder of the delivery's own. Raises HushError for one that another delivery has, that holds files, or that lies in
    the footage."""
    wanted = ordering.wanted_folder(given, delivery.shot, delivery.id)
    place = (settings.DELIVERIES / wanted).resolve()
    source = delivery.shot.clip.media().folder.resolve()
    if place == source or place.is_relative_to(source) or source.is_relative_to(place):
        raise HushError(
            "Deliver into another folder than the source's; originals are never written over.", "over-source"
        )
    taken = any(
        wanted == one or wanted.startswith(f"{one}/") or one.startswith(f"{wanted}/") for one in _folders(delivery)
    )
    if taken or (place.exists() and (not place.is_dir() or any(place.iterdir()))):
        raise HushError(f"{wanted} holds another delivery, or other files; choose another folder.", "exists")
    return wanted


def _folders(delivery: Delivery) -> list[str]:
    return list(Delivery.objects.exclude(id=delivery.id).exclude(folder="").values_list("folder", flat=True))


def _make_folder(place: Path) -> None:
    try:
        place.mkdir(parents=True, exist_ok=True)
        probe = place / ".probe"
        probe.touch()
        probe.unlink()
    except OSError as error:
        raise HushError(
            f"{place.name} cannot be written in the deliveries' storage ({error.strerror or error}); give Hush Patch leave to "
            "write there, or choose another folder.",
            "not-writable",
        ) from error


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
            task = app.configure_task("deliver", queue=QUEUE, priority=delivery.priority)
            task.defer(delivery=delivery.id, first=start, last=end)
    if len(done) == delivery.last - delivery.first + 1:  # only the end was missing
        app.configure_task("deliver", queue=QUEUE, priority=delivery.priority).defer(
            delivery=delivery.id, first=delivery.last, last=delivery.last
        )


def _unqueue(delivery: Delivery) -> None:
    """Take its chunks that nobody has begun out of the queue."""
    waiting = ProcrastinateJob.objects.filter(task_name="deliver", status="todo", args__delivery=delivery.id)
    for number in waiting.values_list("id", flat=True):
        app.job_manager.cancel_job_by_id(number)


@transaction.atomic
def stop(delivery: Delivery) -> Delivery:
    """Stop; frames already written are whole and stay."""
    found = Delivery.objects.select_for_update().get(id=delivery.id)
    if found.running:
        _unqueue(found)
        found.stop_asked, found.state = True, Delivery.State.STOPPED
        found.save(update_fields=["stop_asked", "state"])
        tell("delivery", delivery=found.id, shot=found.shot_id, state=found.state)
    return found


@transaction.atomic
def go_on(delivery: Delivery) -> Delivery:
    """Write the frames that are still missing, those among them whose files have gone since."""
    found = Delivery.objects.select_for_update().get(id=delivery.id)
    if found.state in (Delivery.State.STOPPED, Delivery.State.FAILED):
        _forget_lost(found)
        found.stop_asked, found.problem, found.state = False, "", Delivery.State.WAITING
        found.save()
        _unqueue(found)
        queue(found)
        tell("delivery", delivery=found.id, shot=found.shot_id, state=found.state)
    return found


def _forget_lost(delivery: Delivery) -> None:
    """Frames whose files are not there any more count as not written. Those of a movie lie in its segments until all are there,
    and then in the movie."""
    ready, folder = order_of(delivery), folder_of(delivery)
    whole = delivery.frames.count() == delivery.last - delivery.first + 1
    for row in delivery.frames.all():
        start = delivery.first + (row.frame - delivery.first) // CHUNK * CHUNK
        for proof in proofs_of(row):
            kept = folder / proof.file
            if ready.movie(ready.pieces[proof.piece]) and not (whole and kept.is_file()):
                kept = segment_path(folder, proof.file, start)
            if not kept.is_file():
                row.delete()
                break


@transaction.atomic
def set_priority(delivery: Delivery, priority: int) -> Delivery:
    """What waits with a higher figure goes first."""
    found = Delivery.objects.select_for_update().get(id=delivery.id)
    found.priority = priority
    found.save(update_fields=["priority"])
    waiting = ProcrastinateJob.objects.filter(task_name="deliver", status="todo", args__delivery=found.id)
    for number, args in list(waiting.values_list("id", "args")):
        if app.job_manager.cancel_job_by_id(number):
            app.configure_task("deliver", queue=QUEUE, priority=priority).defer(**args)
    tell("delivery", delivery=found.id, shot=found.shot_id, state=found.state)
    return found


def check_again(delivery: Delivery) -> Delivery:
    """Have it read back and held against its proof. Raises HushError for one that is not done."""
    if delivery.state != Delivery.State.DONE:
        raise HushError("Only a finished delivery can be checked; write the rest first.", "not-done")
    with transaction.atomic():
        Delivery.objects.filter(id=delivery.id).update(checked=None)
        app.configure_task("check_delivery", queue=QUEUE).defer(delivery=delivery.id)
    delivery.checked = None
    return delivery


@transaction.atomic
def clear(delivery: Delivery, by: AbstractBaseUser | None = None) -> None:
    """Take a delivery's files and its row away."""
    note(by, "cleared a delivery", delivery.folder, delivery.shot.job_id, delivery.shot_id)
    stop(delivery)
    if delivery.folder:
        place = folder_of(delivery)
        transaction.on_commit(lambda: shutil.rmtree(place, ignore_errors=True))
    tell("delivery", delivery=delivery.id, shot=delivery.shot_id, gone=True)
    delivery.delete()


def write_look(delivery: Delivery, folder: Path) -> list[Path]:
    """The look beside the frames, when that was asked for: a ``.cube`` of all of it, and its CDL."""
    if not delivery.with_look:
        return []
    shot = delivery.shot
    shot.look = delivery.look
    look = look_of(shot)
    write_lut(folder / "look.cube", look, shot.clip.encoding)
    if not look.cdl:
        return [folder / "look.cube"]
    write_cdl(folder / "look.cdl", look.cdl, shot.name)
    return [folder / "look.cube", folder / "look.cdl"]
