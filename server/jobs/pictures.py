"""Pictures of a shot for the screen, and where they are kept."""

import hashlib
import logging
import os
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np
from django.conf import settings

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.media.footage import Footage
from jobs.disks import has_room
from jobs.models import Shot
from jobs.shelf import Shelf
from jobs.viewing import VIEW_WIDTH, View, look_name, seen

log = logging.getLogger("hush")
TYPES = {"jpg": "image/jpeg", "png": "image/png"}
JPEG = [cv2.IMWRITE_JPEG_QUALITY, 92, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
PNG = [cv2.IMWRITE_PNG_COMPRESSION, 1]


def as_bytes(codes: np.ndarray, suffix: str) -> bytes:
    """8-bit display values (h, w, 3) as a picture for the screen."""
    if suffix not in TYPES:
        raise HushError(f"Pictures for the screen are {' or '.join(TYPES)}, not {suffix}.", "not-found")
    flipped = codes[..., ::-1]
    done, data = cv2.imencode("." + suffix, np.ascontiguousarray(flipped), JPEG if suffix == "jpg" else PNG)
    if not done:
        raise HushError("This picture could not be made.", "not-found")
    return data.tobytes()


frames = Shelf(lambda codes: int(codes.nbytes))


def codes_of(media: Footage, frame: int) -> Codes:
    """A frame's codes, the last few kept."""
    return frames.once(media.stamp(frame), lambda: media.read(frame))


def proxy_folder(shot: int) -> Path:
    """Where a shot's pictures for the screen are kept."""
    return Path(settings.PROXIES) / f"shot-{shot}"


def kept(shot: int, key: str, suffix: str, make: Callable[[], bytes]) -> bytes:
    """Bytes from a shot's proxies, made on first use."""
    path = proxy_path(shot, key, suffix)
    try:
        data = path.read_bytes()
        return data
    except FileNotFoundError:
        pass
    data = make()
    keep(path, data)
    return data


def proxy_path(shot: int, key: str, suffix: str) -> Path:
    """Where the picture of a key is kept."""
    name = hashlib.sha256(key.encode()).hexdigest()
    return proxy_folder(shot) / name[:2] / f"{name[2:34]}.{suffix}"


def keep(path: Path, data: bytes) -> None:
    """Write a proxy whole. The store is a convenience: a full disk must not stop looking, nor be filled by it."""
    if not has_room(settings.PROXIES):
        return
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(f".{os.getpid()}.{id(data)}.part")
        part.write_bytes(data)
        os.replace(part, path)
    except OSError as error:
        log.warning("a proxy could not be kept: %s", error)


def frame_key(shot: Shot, frame: int, view: View, suffix: str, media: Footage | None = None) -> str:
    """The name of exactly this picture. Raises HushError when the frame is not there."""
    return f"shot {(media or shot.clip.media()).stamp(frame)} {look_name(shot)} {view.name} {suffix}"


def proxies_ready(shot: Shot) -> int:
    """How many frames have the picture that playing needs; frames that are not there have none."""
    media, view, ready = shot.clip.media(), View(width=VIEW_WIDTH), 0
    for frame in range(shot.first, shot.last + 1):
        with suppress(HushError):
            ready += proxy_path(shot.id, frame_key(shot, frame, view, "jpg", media), "jpg").exists()
    return ready


def shown(shot: Shot, frame: int, view: View, suffix: str) -> bytes:
    """A frame as shot, as it is looked at."""
    return as_bytes(seen(codes_of(shot.clip.media(), frame), shot, view), suffix)
