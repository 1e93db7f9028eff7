"""Proxies in worker processes: chunks of frames, any number of workers."""

import time

from django.conf import settings
from events.tell import tell
from procrastinate.contrib.django import app

from hushcore.errors import HushError
from jobs import pictures, viewing
from jobs.models import Shot, Upload
from jobs.uploads import part_of

STRAY_HOURS = 48  # an upload that nobody goes on with is cleared after


@app.task(queue="default", name="proxies")
def proxies(shot: int, first: int, last: int) -> None:
    """Make the view-size pictures of first..last with the shot's look; frames that cannot be read are passed over."""
    found = Shot.objects.select_related("clip").filter(id=shot).first()
    if found is None:
        return
    made = 0
    view = viewing.View(width=viewing.VIEW_WIDTH)
    for frame in range(first, last + 1):
        try:
            path = pictures.proxy_path(shot, pictures.frame_key(found, frame, view, "jpg"), "jpg")
            if path.exists():
                continue
            codes = found.clip.media().read(frame)
            pictures.keep(path, pictures.as_bytes(viewing.seen(codes, found, view), "jpg"))
            made += 1
        except HushError:
            continue  # the frame says so itself where it is looked at
    if made:
        tell("proxies", shot=shot, first=first, last=last)


@app.periodic(cron="*/5 * * * *")
@app.task(queue="default", queueing_lock="tidy", name="tidy_proxies")
def tidy_proxies(timestamp: int) -> None:
    """Keep the proxies under their limit, the longest unused going first, and clear uploads that were given up."""
    files = []
    for path in settings.PROXIES.rglob("*.*") if settings.PROXIES.is_dir() else ():
        try:
            stat = path.stat()
        except OSError:
            continue
        files.append((max(stat.st_atime, stat.st_mtime), stat.st_size, path))
    over = sum(size for _, size, _ in files) - settings.PROXY_BYTES
    for _, size, path in sorted(files, key=lambda entry: entry[0]):
        if over <= 0:
            break
        path.unlink(missing_ok=True)
        over -= size
    _clear_strays()


def _clear_strays() -> None:
    for upload in Upload.objects.all():
        part = part_of(upload)
        if not part.exists() or time.time() - part.stat().st_mtime > STRAY_HOURS * 3600:
            part.unlink(missing_ok=True)
            upload.delete()
