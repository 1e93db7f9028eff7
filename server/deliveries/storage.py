"""What jobs and shots take on the disks beside their footage, and what of it can be cleared without losing anything."""

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from fixes.models import Fix, Revision
from jobs.actions import disk_use
from jobs.models import Shot
from jobs.pictures import proxy_folder
from laying.behind import PATTERN
from plates.models import Plate
from plates.root import plates_root
from reviews import versions

from deliveries.models import Delivery


def of_shot(shot: Shot) -> dict[str, Any]:
    """Bytes of a shot's proxies, plates and deliveries, and how many of the plates' nothing needs any more."""
    fixes = list(Fix.every.filter(shot=shot).values_list("id", flat=True))
    folders = shot.deliveries.exclude(folder="").values_list("folder", flat=True)
    return {
        "shot": shot.id, "shot_name": shot.name, "job": shot.job_id, "job_name": shot.job.name, "put_away": shot.put_away,
        "proxies": disk_use(proxy_folder(shot.id))[1],
        "plates": sum(disk_use(plates_root() / str(fix))[1] for fix in fixes),
        "deliveries": sum(disk_use(settings.DELIVERIES / folder)[1] for folder in folders),
        "unneeded": sum(_size(path) for fix in fixes for path in unneeded_files(fix)),
    }  # fmt: skip


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


def documents_of(fix: int) -> Iterable[dict[str, Any]]:
    """Every document of a fix that can still be come back to, or that was delivered."""
    yield from Revision.objects.filter(fix=fix).values_list("document", flat=True)
    yield from Fix.every.filter(id=fix).values_list("document", flat=True)
    for recipe in Delivery.objects.filter(shot__fixes=fix).values_list("recipe", flat=True):
        yield from (entry["document"] for entry in recipe if entry["fix"] == fix)
    yield from versions.documents_of(fix)


def unneeded_plates(fix: int) -> list[Plate]:
    """Pictures that were proposed or brought in, and that no state of the fix has in it."""
    used = {entry["id"] for document in documents_of(fix) for entry in document.get("plates", [])}
    return [row for row in Plate.objects.filter(fix=fix).exclude(picture="") if row.id not in used]


def unneeded_files(fix: int) -> list[Path]:
    """What can go: pictures in no state of the fix, and what is worked out again when it is asked for."""
    root = plates_root()
    pictures = [root / row.picture for row in unneeded_plates(fix)]
    return [path for path in (*pictures, *(root / str(fix)).glob(PATTERN)) if path.is_file()]


def clear_unneeded(shot: Shot) -> int:
    """Take away what nothing needs; the bytes that came free."""
    freed = 0
    for fix in Fix.every.filter(shot=shot).values_list("id", flat=True):
        with transaction.atomic():
            Fix.every.select_for_update().get(id=fix)  # no state of it changes meanwhile
            files = unneeded_files(fix)
            for row in unneeded_plates(fix):
                row.delete()
        for path in files:
            freed += _size(path)
            path.unlink(missing_ok=True)
    return freed
