"""Rendering in worker processes: chunks of frames, any number of workers, each frame proved as it is written."""

import os
import platform
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from accounts.log import note
from django.db import connection, transaction
from django.dispatch import receiver
from django.utils import timezone
from events.tell import tell
from fixes.stack import kept_if
from jobs import stamps
from jobs.models import Shot
from jobs.signals import shot_goes
from laying import stood
from laying.names import digest
from laying.ready import Layer
from plates.known import strokes
from procrastinate.contrib.django import app
from tells.models import Tell

from deliveries import actions, ordering, reports, sheets
from deliveries.models import DeliveredFrame, Delivery, Report
from deliveries.ordering import folder_of, order_of
from hushcore.deliver import report
from hushcore.deliver.frames import deliver_chunk, finish
from hushcore.deliver.pieces import Order
from hushcore.deliver.proof import FrameProof
from hushcore.errors import HushError
from hushcore.media.pictures import written_whole
from hushcore.patch.fix import Fix as ReadyFix
from hushcore.tells.measure import NAMES

WORKER = f"{platform.node()} {os.getpid()}"
FINISHING = 0x1135  # our advisory locks' first number


def needed(fix: int) -> bool:
    """Whether a delivery that is not done yet is made of a fix."""
    open_ones = Delivery.objects.exclude(state=Delivery.State.DONE)
    return open_ones.filter(recipe__contains=[{"fix": fix}]).exists()


kept_if(needed)


@app.task(queue="deliver", name="deliver")
def deliver(delivery: int, first: int, last: int) -> None:
    """Write first..last; frames that are written already are left alone."""
    found = Delivery.objects.select_related("shot__clip", "shot__job").filter(id=delivery).first()
    if found is None or found.stop_asked:
        return
    waiting = Delivery.objects.filter(id=delivery, state=Delivery.State.WAITING)
    waiting.update(state=Delivery.State.RENDERING, begun=timezone.now())
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
    ready, folder = order_of(delivery), folder_of(delivery)
    done = set(delivery.frames.filter(frame__range=(first, last)).values_list("frame", flat=True))
    wanted = [frame for frame in range(first, last + 1) if frame not in done]
    if wanted and any(ready.movie(piece) for piece in ready.pieces):
        wanted = list(range(first, last + 1))  # a movie's segment is whole or not there
    alive = Delivery.objects.filter(id=delivery.id, stop_asked=False)
    if not wanted or not alive.exists():
        return
    laid = _Laid(delivery, ready)
    began = [time.monotonic()]

    def proved(frame: int, proofs: list[FrameProof]) -> bool:
        now = time.monotonic()
        with transaction.atomic():
            DeliveredFrame.objects.update_or_create(
                delivery=delivery, frame=frame,
                defaults={
                    "proof": [vars(proof) for proof in proofs], "state": laid.name(frame), "worker": WORKER,
                    "seconds": round(now - began[0], 3),
                },
            )  # fmt: skip
            tell("delivered", delivery=delivery.id, shot=delivery.shot_id, frame=frame)
        began[0] = now
        return alive.exists()

    again = ordering.earlier(delivery, ready, laid.name)
    shown = ordering.shown_by(delivery.shot, delivery.look)
    deliver_chunk(ready, wanted, laid.fixes, folder, proved, again, shown)


class _Laid:
    """The fixes as they stood when the delivery was asked for, on the frames of a chunk."""

    def __init__(self, delivery: Delivery, ready: Order) -> None:
        self.then = stood.as_it_stood(delivery.shot, delivery.recipe)
        self.layers: list[Layer] = stood.prepared(self.then)
        self.names = dict(zip((entry["fix"] for entry in delivery.recipe), ready.fixes, strict=True))
        self.known: dict[int, Any] = {}
        self.clip = delivery.shot.clip

    def on(self, frame: int) -> list[tuple[Layer, ReadyFix]]:
        """The fixes that lie on a frame."""
        if frame not in self.known:
            stamps.check(self.clip, [frame])
            self.known = {frame: stood.on_frame(self.layers, frame)}
        found: list[tuple[Layer, ReadyFix]] = self.known[frame]
        return found

    def fixes(self, frame: int) -> list[tuple[str, ReadyFix]]:
        """The same with the names that the order has for them."""
        return [(self.names[layer.fix.id], fix) for layer, fix in self.on(frame)]

    def name(self, frame: int) -> str:
        """A name for what makes the frame's files: its pixels, which fix is which, and what their headers say."""
        pixels, clip = stood.name_of(self.then, self.on(frame), frame), self.clip
        return digest([pixels, sorted(self.names.items()), clip.timecode, str(clip.rate), clip.first])


def _failed(delivery: Delivery, problem: str) -> None:
    with transaction.atomic():
        Delivery.objects.filter(id=delivery.id).update(state=Delivery.State.FAILED, problem=problem, stop_asked=True)
        tell("delivery", delivery=delivery.id, shot=delivery.shot_id, state="failed")


@contextmanager
def _alone(delivery: Delivery) -> Iterator[None]:
    """One worker at a time, without holding the row: who asks to stop must not wait while a movie is joined."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_lock(%s, %s)", [FINISHING, delivery.id])
        try:
            yield
        finally:
            cursor.execute("select pg_advisory_unlock(%s, %s)", [FINISHING, delivery.id])


def _finish(delivery: Delivery) -> None:
    """The last chunk to end joins what is to be one, and writes the proof beside the frames."""
    with _alone(delivery):
        held = Delivery.objects.get(id=delivery.id)
        if held.stop_asked or held.frames.count() < held.last - held.first + 1 or held.state == Delivery.State.DONE:
            return
        ready, folder = order_of(held), folder_of(held)
        movies = finish(ready, range(held.first, held.last + 1), folder)
        proof = {**report.summary(ordering.proofs(held), ready), "shot": held.shot.name, "fixes": told(held)}
        report.write(folder, proof, movies, actions.write_look(held, folder))
        for stray in folder.rglob(".*.part*"):  # of workers that were killed; all that is wanted is whole by now
            stray.unlink(missing_ok=True)
        _done(held, proof)


def _done(delivery: Delivery, proof: dict[str, Any]) -> None:
    with transaction.atomic():
        held = Delivery.objects.select_for_update().get(id=delivery.id)
        if held.stop_asked:  # while it was joined; going on finds all of it there
            return
        held.state, held.finished, held.checked = Delivery.State.DONE, timezone.now(), None
        held.totals = ordering.totals_of(proof)
        held.save(update_fields=["state", "finished", "checked", "totals"])
        done = Shot.objects.filter(id=held.shot_id).exclude(status=Shot.Status.TO_REVIEW)  # that still waits to be seen
        done.update(status=Shot.Status.DELIVERED)
        note(
            held.by,
            "delivered",
            f"{held.shot.name} {held.first}-{held.last} in {held.folder}",
            held.shot.job_id,
            held.shot_id,
        )
        tell("delivery", delivery=held.id, shot=held.shot_id, state=held.state)
        tell("shot", shot=held.shot_id, job=held.shot.job_id)


def told(delivery: Delivery) -> list[dict[str, Any]]:
    """The fixes of a delivery and what their tells said, for its proof."""
    found = []
    for entry in delivery.recipe:
        document = entry["document"]
        rows = Tell.objects.filter(fix=entry["fix"], frame__range=(delivery.first, delivery.last))
        known = strokes([stroke["id"] for plate in document["plates"] for stroke in plate["strokes"]])
        found.append({
            "name": document["name"], "source": document["source"], "light": document["match"]["light"],
            "plates": len(document["plates"]), "strokes": len(known),
            "tells": {str(row.frame): {name: round(row.values[name], 3) for name in NAMES} for row in rows},
        })  # fmt: skip
    return found


@app.task(queue="default", name="report")
def report_on(shot: int) -> None:
    """Make a shot's contact sheet and its report as HTML and PDF."""
    asked = Report.objects.select_related("shot__clip", "shot__job", "by").filter(shot=shot).first()
    if asked is None:
        return
    problem, made = "", timezone.now()
    try:
        cut = sheets.all_crops(asked.shot)
        sheet, page = sheets.sheet(asked.shot, cut), reports.html(asked.shot, cut, asked.by)
        files = {"report.html": page.encode(), "report.pdf": reports.pdf(page), "sheet.png": sheet}
        for name, data in files.items():
            with written_whole(reports.place_of(asked.shot, name)) as part:
                part.write_bytes(data)
    except HushError as error:
        problem = error.message
    with transaction.atomic():
        Report.objects.filter(shot=shot).update(problem=problem, made=None if problem else made)
        tell("report", shot=shot)


@receiver(shot_goes)
def reports_go(shot: Shot, **_: object) -> None:
    """A shot's report goes with it."""
    place = reports.place_of(shot, "sheet.png").parent
    transaction.on_commit(lambda: shutil.rmtree(place, ignore_errors=True))


@app.task(queue="deliver", name="check_delivery")
def check_delivery(delivery: int) -> None:
    """Read a delivery back and hold it against its proof."""
    held = Delivery.objects.filter(id=delivery).first()
    if held is None:
        return
    try:
        said, holds = report.check(folder_of(held)), True
    except HushError as error:
        said, holds = error.message, False
    with transaction.atomic():
        held.checked = {"holds": holds, "words": said, "at": timezone.now().isoformat()}
        held.save(update_fields=["checked"])
        tell("delivery", delivery=held.id, shot=held.shot_id, state=held.state)
