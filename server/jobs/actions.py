"""What can be done with jobs and shots."""

import shutil

from django.conf import settings
from django.db import transaction

from hushcore.errors import HushError
from hushcore.media.clips import open_clip
from jobs.models import Clip, Job, Shot, inside_root


@transaction.atomic
def bring_in(job: Job, name: str, place: str, rate: tuple[int, int] = (24, 1), note: str = "") -> Shot:
    """A shot from a folder or pattern under the footage root.

    Every frame's header is read, so that a missing, damaged or odd one is named now and not in the middle of the work.
    """
    root = settings.MEDIA_FOOTAGE
    media = open_clip(inside_root(root, place))
    _check_headers(media)
    clip = Clip.objects.create(
        folder=str(media.folder.resolve().relative_to(root.resolve())), stem=media.stem, digits=media.digits,
        suffix=media.suffix, first=media.first, last=media.last, missing=media.missing, width=media.width,
        height=media.height, channels=media.channels, depth=media.depth, rate_num=rate[0], rate_den=rate[1],
    )  # fmt: skip
    return Shot.objects.create(job=job, name=name.strip() or media.name, clip=clip, order=job.shots.count(), note=note)


def _check_headers(media: object) -> None:
    from hushcore.media.clips import Clip as MediaClip
    from hushcore.media.pictures import probe

    assert isinstance(media, MediaClip)
    wanted = (media.width, media.height, media.channels, media.depth)
    for frame in media.frames:
        spec = probe(media.path(frame))
        found = (spec.width, spec.height, spec.nchannels, str(spec.format))
        if found != wanted:
            raise HushError(
                f"Frame {frame} of {media.name} is {found[0]} x {found[1]}, {found[2]} channels, {found[3]}; the first "
                f"frame is {wanted[0]} x {wanted[1]}, {wanted[2]} channels, {wanted[3]}. Export it like the rest.",
                "frame-size",
            )


def free_space() -> int:
    """Bytes free where deliveries go."""
    settings.DELIVERIES.mkdir(parents=True, exist_ok=True)
    return shutil.disk_usage(settings.DELIVERIES).free
