"""How full the disks are that the storage lies on."""

import shutil
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings

from hushcore.deliver.frames import LEAST_FREE

LOW, FULL = 0.10, LEAST_FREE  # of a disk free: it is said, and everything that writes much stops


@dataclass(frozen=True)
class Disk:
    """A storage root: what it is for, bytes in all and free, and what that means: ``ok``, ``low`` or ``full``."""

    name: str
    total: int
    free: int
    state: str


def roots() -> dict[str, Path]:
    """The storage roots, one a kind of file."""
    return {
        "Footage": settings.MEDIA_FOOTAGE, "Deliveries": settings.DELIVERIES, "Proxies": settings.PROXIES,
        "Plates": settings.PLATES,
    }  # fmt: skip


def disks() -> list[Disk]:
    """Each root's disk; one that is not there counts as full."""
    return [disk(name, Path(root)) for name, root in roots().items()]


def disk(name: str, root: Path) -> Disk:
    """The disk that a root lies on, or will lie on."""
    above = next((place for place in (root, *root.parents) if place.exists()), None)
    if above is None:
        return Disk(name, 0, 0, "full")
    space = shutil.disk_usage(above)
    share = space.free / max(1, space.total)
    return Disk(name, space.total, space.free, "full" if share < FULL else "low" if share < LOW else "ok")


def has_room(root: Path) -> bool:
    """Whether what can be made again may be written under a root."""
    return disk("", Path(root)).state != "full"
