"""What lies on the disks, and what can be cleared safely."""

from dataclasses import asdict

from deliveries import storage as stored
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from jobs import disks, members
from jobs.models import Shot
from ninja import Router, Schema

router = Router(tags=["storage"])


class DiskOut(Schema):
    """A disk of the storage: ``state`` is ok, low (under a tenth free) or full (under a fiftieth)."""

    name: str
    total: int
    free: int
    state: str


class ShotStorageOut(Schema):
    """What a shot takes beside its footage, bytes; ``unneeded``: of its plates, what no state of it needs."""

    shot: int
    shot_name: str
    job: int
    job_name: str
    put_away: bool
    proxies: int
    plates: int
    deliveries: int
    unneeded: int


class StorageOut(Schema):
    """The disks, and what each shot takes."""

    disks: list[DiskOut]
    shots: list[ShotStorageOut]


class FreedOut(Schema):
    """What came free, bytes."""

    freed: int


@router.get("storage", response=StorageOut)
def storage(request: HttpRequest) -> StorageOut:
    """The disks, and what each shot takes on them; the largest first."""
    found = Shot.objects.filter(job__in=members.jobs_of(request.user, "work"))
    rows = [ShotStorageOut(**stored.of_shot(shot)) for shot in found.select_related("job")]
    rows.sort(key=lambda row: -(row.proxies + row.plates + row.deliveries))
    return StorageOut(disks=disks_out(), shots=rows)


def disks_out() -> list[DiskOut]:
    """The disks as the screens see them."""
    return [DiskOut(**asdict(one)) for one in disks.disks()]


@router.get("storage/disks", response=list[DiskOut])
def list_disks(request: HttpRequest) -> list[DiskOut]:
    """The disks alone: quick enough to ask for often."""
    return disks_out()


@router.post("shots/{shot}/clear-unneeded", response=FreedOut)
def clear_unneeded(request: HttpRequest, shot: int) -> FreedOut:
    """Take away pictures that no state, version or delivery needs."""
    return FreedOut(freed=stored.clear_unneeded(get_object_or_404(Shot, id=shot)))
