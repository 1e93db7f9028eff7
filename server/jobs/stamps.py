"""Whether footage is still what it was when it was brought in."""

from collections.abc import Sequence
from contextlib import suppress

from hushcore.errors import HushError
from jobs.models import Clip

NAMED = 4


def read(clip: Clip) -> dict[str, list[int]]:
    """Size and time of change of each of a clip's files, by frame; of a movie under its first frame alone."""
    media, found = clip.media(), {}
    for frame in [clip.first] if clip.kind == "movie" else media.frames:
        with suppress(HushError):
            _, changed, size, _ = media.stamp(frame)
            found[str(frame)] = [size, changed]
    return found


def changed(clip: Clip, frames: Sequence[int]) -> list[int]:
    """The frames whose files are not what they were. Raises HushError (missing-frame) for one that is gone."""
    media, found = clip.media(), []
    for frame in [clip.first] if clip.kind == "movie" else frames:
        _, at, size, _ = media.stamp(frame)
        known = clip.stamps.get(str(frame))
        if known is not None and known != [size, at]:
            found.append(frame)
    return found


def check(clip: Clip, frames: Sequence[int]) -> None:
    """Raises HushError (changed-source) when footage has changed since it was brought in: holds may be off there."""
    off = changed(clip, frames)
    if not off:
        return
    named = ", ".join(map(str, off[:NAMED])) + (f" and {len(off) - NAMED} more" if len(off) > NAMED else "")
    what = clip.media().name if clip.kind == "movie" else f"Frame {named} of {clip.media().name}"
    raise HushError(
        f"{what} has changed on the disk since it was brought in; holds and plates were made on what was there before. Put "
        "the old files back, or look at the frames and take them as they are now.",
        "changed-source",
    )


def take(clip: Clip) -> None:
    """Take the files as they are now."""
    clip.stamps = read(clip)
    clip.save(update_fields=["stamps"])
