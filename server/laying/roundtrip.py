"""Plates on their way to an image editor and back: a frame's picture in a lossless file, whole or cropped."""

import os
import tempfile
import uuid
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from fixes.document import edge_data
from fixes.models import Fix
from holds.current import current_hold
from holds.models import Hold
from jobs.pictures import codes_of
from plates.models import Export, Plate
from plates.root import plates_root

from hushcore.arrays import F32, Codes, Rect
from hushcore.errors import HushError
from hushcore.geometry import sampling
from hushcore.hold.maps import dense_inverse
from hushcore.media.pictures import read_codes, write_codes
from hushcore.patch.place import on_surface, outside_of
from laying import ready

FORMS = {"tif": "16-bit TIFF", "png": "16-bit PNG", "exr": "half-float OpenEXR, linear"}
PAD = 96  # px round the mark in a crop
CHANGED = 1e-6  # linear light
LARGEST_BYTES = 1_000_000_000


def plate_codes(fix: Fix, plate: Plate, entry: dict[str, Any]) -> Codes:
    """The plate's own frame with the retouch in it, as codes."""
    hold = current_hold(fix)
    clip = fix.shot.clip
    codes = ready.codes_below(fix, plate.frame).copy()
    made = ready.painted_plate(fix, entry, hold)
    engine = ready.hold_near(hold, plate.frame)
    painted, touched = _in_frame(made.painted, made, engine, plate.frame, codes)
    changed = np.abs(made.painted - made.original).max(-1) > CHANGED
    cover, _ = _in_frame(np.repeat(changed[..., None], 3, 2).astype(np.float32), made, engine, plate.frame, codes)
    where = (cover[..., 0] > 0.01) & touched
    codes[where, :3] = clip.encoding.encode(painted[where], codes.dtype)
    return codes


def _in_frame(picture: F32, plate: Any, engine: Any, frame: int, codes: Codes) -> tuple[F32, np.ndarray]:
    """A still picture in the frame's pose, and where it reaches."""
    size = codes.shape[:2]
    rect = Rect(0, 0, size[1], size[0])
    if frame == engine.anchor and plate.rect == rect:
        return picture, np.ones(size, bool)
    x, y = dense_inverse(engine.at(frame), rect)
    x, y = x - np.float32(plate.rect.left), y - np.float32(plate.rect.top)
    out = sampling.sampled(picture, x, y)
    height, width = picture.shape[:2]
    return out, (x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1)


def place_of(fix: Fix, hold: Hold, plate: Plate, cropped: bool) -> Rect:
    """The part of the frame that goes out."""
    clip = fix.shot.clip
    whole = Rect(0, 0, clip.width, clip.height)
    if not cropped or not fix.document["edge"]["outlines"]:
        return whole
    edge = edge_data(fix.document).edge()
    points = ready.hold_near(hold, plate.frame).at(plate.frame).forward(edge.rect().corners)
    return Rect.around(points).grown(PAD).within(whole)


def send_out(fix: Fix, plate: int, form: str, cropped: bool, guide: bool) -> tuple[bytes, str]:
    """A plate's file for an image editor and its name; ``guide``: the matte instead of the picture.

    Raises HushError for a form that is not offered.
    """
    if form not in FORMS:
        raise HushError(f"A plate goes out as {', '.join(FORMS.values())}.", "bad-form")
    entry = next((e for e in fix.document["plates"] if e["id"] == plate), None)
    row = fix.plates.filter(id=plate).first()
    if entry is None or row is None:
        raise HushError("This plate is not in the recipe any more.", "no-plate")
    hold = current_hold(fix)
    rect = place_of(fix, hold, row, cropped)
    stem = f"{fix.shot.name}-{fix.document['name']}-{row.frame}-issue{row.issue}".replace(" ", "_").replace("/", "_")
    if guide:
        picture: Any = _guide(fix, hold, row)[rect.slices]
        return _file(picture, "png"), f"{stem}-matte.png"
    picture = plate_codes(fix, row, entry)[rect.slices][..., :3]
    if form == "exr":
        picture = fix.shot.clip.encoding.decode(picture).astype(np.float16)
    elif picture.dtype != np.uint16:
        picture = _wide(picture, fix)
    Export.objects.create(plate=row, left=rect.left, top=rect.top, width=rect.width, height=rect.height)
    return _file(picture, form), f"{stem}.{form}"


def _wide(codes: Codes, fix: Fix) -> Codes:
    """8-bit or float codes as 16-bit integers of the clip's own encoding."""
    if codes.dtype == np.uint8:
        return codes.astype(np.uint16) * 257
    values = np.clip(fix.shot.clip.encoding.tonal(codes), 0, 1)
    return np.rint(values * 65535).astype(np.uint16)


def _guide(fix: Fix, hold: Hold, plate: Plate) -> Codes:
    clip = fix.shot.clip
    out = np.zeros((clip.height, clip.width, 3), np.uint16)
    edge = edge_data(fix.document).edge()
    rect = edge.rect().grown(2)
    matte = edge.matte(rect, plate.frame)
    held = ready.hold_near(hold, plate.frame).at(plate.frame)
    spot = on_surface(held, rect, matte, outside_of(matte), (clip.width, clip.height))
    if spot is not None:
        out[spot.target.slices] = np.rint(np.repeat(spot.cover[..., None], 3, 2) * 65535).astype(np.uint16)
    return out


def _file(picture: Codes, form: str) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"plate.{form}"
        write_codes(path, np.ascontiguousarray(picture))
        return path.read_bytes()


def take_back(fix: Fix, plate: int, name: str, data: bytes) -> str:
    """Check a picture that came back, put it into its frame, keep it; returns its place under the plates root.

    Raises HushError, with nothing kept, for a picture that is not the plate's: of another size, not a picture, or
    encoded differently (its untouched parts do not look like the frame).
    """
    row = fix.plates.filter(id=plate).first()
    if row is None:
        raise HushError("This plate is not in the recipe any more.", "no-plate")
    if len(data) > LARGEST_BYTES:
        raise HushError(f"{name} is larger than any plate; send the plate's own picture.", "too-large")
    root = plates_root()
    root.mkdir(parents=True, exist_ok=True)
    came = root / f".coming-{uuid.uuid4().hex}{Path(name).suffix.lower() or '.tif'}"
    came.write_bytes(data)
    try:
        picture = read_codes(came)[..., :3]
    finally:
        came.unlink(missing_ok=True)
    clip = fix.shot.clip
    whole = codes_of(clip.media(), row.frame)
    place = _place_for(row, picture.shape, whole.shape)
    base = ready.codes_below(fix, row.frame)[..., :3].copy()
    own = clip.encoding.encode(clip.encoding.linear(clip.encoding.values(picture)), base.dtype)
    if picture.dtype.kind == "f" and clip.depth != "float32":
        own = clip.encoding.encode(np.asarray(picture, np.float32), base.dtype)
    elif picture.dtype.kind != "f" and base.dtype.kind == "f":
        own = clip.encoding.encode(clip.encoding.from_tonal(clip.encoding.values(picture)), base.dtype)
    if picture.shape[2] == 1:
        own = np.repeat(own, 3, 2)
    _check_alike(base[place.slices], own, row.frame, clip)
    base[place.slices] = own
    return keep_picture(fix, row.frame, base)


def keep_picture(fix: Fix, frame: int, codes: Codes) -> str:
    """Keep a finished frame for a plate; returns its place under the plates root."""
    root = plates_root()
    file = f"{fix.id}/{frame}-{uuid.uuid4().hex[:12]}.{'exr' if codes.dtype.kind == 'f' else 'tif'}"
    (root / str(fix.id)).mkdir(parents=True, exist_ok=True)
    part = root / f"{file}.part{Path(file).suffix}"
    write_codes(part, codes)
    os.replace(part, root / file)
    return file


def _place_for(plate: Plate, shape: tuple[int, ...], whole: tuple[int, ...]) -> Rect:
    """Where a picture of this size belongs in the frame: all of it, or the crop that went out last at this size."""
    if shape[:2] == whole[:2]:
        return Rect(0, 0, whole[1], whole[0])
    sent = Export.objects.filter(
        plate__fix=plate.fix_id, plate__frame=plate.frame, width=shape[1], height=shape[0]
    ).order_by("-id").first()  # fmt: skip
    if sent is None:
        raise HushError(
            f"This picture is {shape[1]} x {shape[0]}; frame {plate.frame} is {whole[1]} x {whole[0]}, and no part of "
            "that size went out. Save it at the size that it had.",
            "plate-size",
        )
    return Rect(sent.left, sent.top, sent.left + sent.width, sent.top + sent.height)


def _check_alike(before: Codes, after: Codes, frame: int, clip: Any) -> None:
    """Most of a retouched picture is as it was; where nothing is, it is another frame or another encoding."""
    a, b = (clip.encoding.tonal(side) for side in (before, after))
    small = [cv2.resize(side, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA) for side in (a, b)]
    apart = np.abs(small[0] - small[1]).max(-1)
    if float(np.percentile(apart, 30)) > 0.02:
        raise HushError(
            f"This does not look like frame {frame}: nearly all of it differs. It may be another frame, or it was saved "
            "with another colour encoding or with a look on it.",
            "plate-encoding",
        )
