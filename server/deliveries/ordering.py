"""A delivery's row as the engine's order, and what an earlier one holds with the same pixels."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from django.conf import settings
from jobs.models import Shot, inside_root
from jobs.viewing import View, seen

from deliveries.models import DeliveredFrame, Delivery
from hushcore.arrays import Codes
from hushcore.deliver import naming
from hushcore.deliver.movie import Shown
from hushcore.deliver.pieces import Order, Piece, order
from hushcore.deliver.proof import FrameProof
from hushcore.deliver.report import summary
from hushcore.deliver.reuse import Known
from hushcore.errors import HushError

PREVIEW_WIDTH = 1280


def folder_of(delivery: Delivery) -> Path:
    """Where a delivery's files lie. Raises HushError for a folder that leaves the root."""
    return inside_root(settings.DELIVERIES, delivery.folder)


def wanted_folder(given: str, shot: Shot, number: int) -> str:
    """The folder under the deliveries' root: one that was asked for, or the shot's name and the delivery's number."""
    if not given:
        return f"{naming.plain(shot.name)}-{number:04d}"
    parts = PurePosixPath(given).parts
    if given.startswith("/") or ".." in parts or not parts or any(part.startswith(".") for part in parts):
        raise HushError(f"{given} leaves the deliveries' storage; name a folder inside it.", "outside-root")
    inside_root(settings.DELIVERIES, given)
    return str(PurePosixPath(*parts))


def order_of(delivery: Delivery) -> Order:
    """A delivery for the engine. Raises HushError when it cannot be written as asked."""
    clip = delivery.shot.clip
    names = [entry["document"]["name"] for entry in delivery.recipe]
    pieces = [Piece(**piece) for piece in delivery.pieces]
    return order(clip.media(), clip.encoding, pieces, names, delivery.words, clip.timecode, Fraction(clip.rate))


def words_of(shot: Shot, number: int) -> dict[str, str]:
    """What stands for the tokens of names."""
    return {"clip": shot.clip.media().name, "shot": shot.name, "job": shot.job.name, "number": f"{number:04d}"}


def shown_by(shot: Shot, look: dict[str, Any]) -> Shown:
    """Codes as they are looked at, with the look as it was when the delivery was asked for."""
    then = Shot(id=shot.id, clip=shot.clip, look=look)
    view = View(width=PREVIEW_WIDTH)

    def shown(codes: Codes) -> Codes:
        return np.ascontiguousarray(seen(codes, then, view))

    return shown


def proofs_of(row: DeliveredFrame) -> list[FrameProof]:
    """The proofs of a frame's files."""
    return [FrameProof(**proof) for proof in row.proof]


def proofs(delivery: Delivery) -> list[FrameProof]:
    """The proofs of all frames written so far."""
    return [proof for row in delivery.frames.all() for proof in proofs_of(row)]


TOTALS = ("frames", "values", "changed_inside", "changed_outside", "coded", "pieces")


def totals_of(proof: dict[str, Any]) -> dict[str, Any]:
    """A proof without the rows of its files, and what they take."""
    return {**{name: proof[name] for name in TOTALS}, "bytes": sum(entry["bytes"] for entry in proof["files"])}


def totals(delivery: Delivery) -> dict[str, Any]:
    """What is known of a delivery so far; of a finished one it is kept, for lists show many."""
    kept: dict[str, Any] | None = delivery.totals
    if kept is not None and delivery.state == Delivery.State.DONE:
        return kept
    try:
        ready = order_of(delivery)
    except HushError:  # its clip has been corrected since, or its form is no more
        ready = None
    return totals_of(summary(proofs(delivery), ready))


def earlier(delivery: Delivery, ready: Order, names: Callable[[int], str]) -> Callable[[int, int], Known | None]:
    """What is known of a piece and frame that another delivery of the shot holds with the same pixels."""
    found: dict[int, list[DeliveredFrame]] = {}

    def rows(frame: int) -> list[DeliveredFrame]:
        if frame not in found:
            same = DeliveredFrame.objects.filter(delivery__shot=delivery.shot_id, frame=frame, state=names(frame))
            found[frame] = list(same.exclude(delivery=delivery.id).select_related("delivery").order_by("-id")[:4])
        return found[frame]

    def again(number: int, frame: int) -> Known | None:
        piece = ready.pieces[number]
        for row in rows(frame):
            other = row.delivery
            if ready.movie(piece) and other.state != Delivery.State.DONE:
                continue  # its segments are not one movie yet
            for k, known in enumerate(other.pieces):
                if Piece(**known).key != piece.key:
                    continue
                proofs = tuple(proof for proof in proofs_of(row) if proof.piece == k)
                if proofs:
                    return Known(folder_of(other), proofs, other.first)
        return None

    return again
