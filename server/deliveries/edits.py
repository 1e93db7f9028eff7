"""The edit of a job with the delivered shots in place."""

from jobs.models import Job, Shot

from deliveries.models import Delivery
from deliveries.ordering import order_of, proofs_of
from hushcore.errors import HushError
from hushcore.media import timecode
from hushcore.media.edit_out import Delivered, written


def edit_of(job: Job, form: str) -> str:
    """The job's shots in their order, each with its newest finished delivery. Raises HushError as ``written`` does."""
    shots = job.shots.filter(put_away=False).select_related("clip", "job")
    return written(job.name, [_in_place(shot) for shot in shots], form)


def _in_place(shot: Shot) -> Delivered:
    clip = shot.clip
    first = clip.first if shot.cut_in is None else shot.cut_in
    last = clip.last if shot.cut_out is None else shot.cut_out
    for delivery in shot.deliveries.filter(state=Delivery.State.DONE):
        place, digits = _frames(delivery)
        if place and delivery.first <= first and last <= delivery.last:
            start = timecode.after(clip.timecode, delivery.first - clip.first, clip.rate)
            return Delivered(
                shot.name,
                f"{delivery.folder}/{place}",
                first,
                last,
                delivery.first,
                delivery.last,
                clip.rate,
                start,
                digits,
            )
    return Delivered(shot.name, "", first, last, clip.first, clip.last, clip.rate, clip.timecode)


def _frames(delivery: Delivery) -> tuple[str, int]:
    """The place of a delivery's finished frames (of its first one), and the digits of their numbers; 0 for a movie."""
    row = delivery.frames.filter(frame=delivery.first).first()
    try:
        ready = order_of(delivery)
    except HushError:
        return "", 0
    for proof in proofs_of(row) if row else []:
        piece = ready.pieces[proof.piece]
        if piece.what == "frames":
            return proof.file, 0 if ready.movie(piece) else _digits(proof.file, delivery.first)
    return "", 0


def _digits(file: str, frame: int) -> int:
    """How many digits the number in a file's name has."""
    stem = file.rsplit(".", 1)[0]
    count = 0
    while count < len(stem) and stem[-1 - count].isdigit():
        count += 1
    return count if count and int(stem[-count:]) == frame else len(str(frame))
