"""Single pictures: integer code values in, integer code values out (TIFF and PNG, 8 and 16 bit)."""

import os
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from hushcore.arrays import Codes
from hushcore.errors import HushError

SUFFIXES = (".tif", ".tiff", ".png")
LARGEST_SIDE = 16384
LARGEST_PIXELS = 120_000_000
AS_STORED = "oiio:UnassociatedAlpha"
DEPTHS = {"uint8": np.uint8, "uint16": np.uint16}


def probe(path: Path) -> oiio.ImageSpec:
    """The header of a picture. Raises HushError when it cannot be read or is too large to work on."""
    found = _open(path)
    spec = found.spec()
    found.close()
    _check(path, spec)
    return spec


def _open(path: Path) -> oiio.ImageInput:
    """An open picture whose colours are not multiplied by its alpha: codes are to come as they are stored."""
    wish = oiio.ImageSpec()
    wish[AS_STORED] = 1
    found = oiio.ImageInput.open(str(path), wish)
    if found is None:
        raise HushError(_unreadable(path), "unreadable")
    return found


def _check(path: Path, spec: oiio.ImageSpec) -> None:
    if max(spec.width, spec.height) > LARGEST_SIDE or spec.width * spec.height > LARGEST_PIXELS:
        raise HushError(
            f"{path.name} is {spec.width} x {spec.height}; pictures up to {LARGEST_SIDE} px a side and "
            f"{LARGEST_PIXELS // 1_000_000} megapixels can be worked on. Bring in a smaller version.",
            "too-large",
        )
    if str(spec.format) not in DEPTHS:
        raise HushError(f"{path.name} holds {spec.format} values; 8 and 16 bit integers can be read.", "bad-depth")
    if spec.nchannels not in (1, 3, 4):
        raise HushError(f"{path.name} has {spec.nchannels} channels; 1, 3 or 4 can be read.", "bad-channels")


def _unreadable(path: Path) -> str:
    reason = oiio.geterror() or "no reason given"
    if not path.exists():
        return f"{path.name} is missing; put it back where it was."
    return f"{path.name} cannot be read as a picture ({_short(reason)}); copy it again from the original."


def _short(reason: str) -> str:
    first = reason.strip().splitlines()[0] if reason.strip() else "damaged"
    return first.split('": ')[-1][:90]


def read_codes(path: Path) -> Codes:
    """All code values (h, w, c) of a picture, uint8 or uint16.

    Raises HushError when the file is missing, cut short, of another kind, or too large.
    """
    found = _open(path)
    try:
        spec = found.spec()
        _check(path, spec)
        codes = found.read_image(format=spec.format)
        if codes is None:
            reason = _short(found.geterror())
            raise HushError(
                f"{path.name} is damaged or cut short ({reason}); copy it again from the original.", "truncated"
            )
    finally:
        found.close()
    return np.asarray(codes).reshape(spec.height, spec.width, spec.nchannels)


def output_spec(path: Path) -> oiio.ImageSpec:
    """Header to write a picture of the same kind as ``path``, its metadata and compression included."""
    return oiio.ImageSpec(probe(path))


def write_codes(path: Path, codes: Codes, spec: oiio.ImageSpec | None = None) -> None:
    """Write code values (h, w, c); ``spec`` carries metadata and compression over.

    Written beside its place and moved there whole. Raises HushError (kind ``disk-full`` when that is why)
    and leaves nothing half-written.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    header = oiio.ImageSpec(codes.shape[1], codes.shape[0], codes.shape[2], str(codes.dtype))
    if spec is not None:
        header = oiio.ImageSpec(spec)
        header.set_format(str(codes.dtype))
    header[AS_STORED] = 1
    part = path.with_name(f".{path.stem}.{os.getpid()}.part{path.suffix}")
    try:
        _write(part, codes, header)
        os.replace(part, path)
    except OSError as error:
        raise disk_problem(path, error) from error
    finally:
        part.unlink(missing_ok=True)


def _write(part: Path, codes: Codes, header: oiio.ImageSpec) -> None:
    out = oiio.ImageOutput.create(str(part))
    if out is None:
        raise HushError(f"{part.suffix} files cannot be written; use .tif or .png.", "bad-suffix")
    done = out.open(str(part), header) and out.write_image(np.ascontiguousarray(codes))
    reason = "" if done else out.geterror()
    closed = out.close()
    if not (done and closed):
        raise OSError(reason or out.geterror() or "the file could not be finished")
    with part.open("rb") as written:
        os.fsync(written.fileno())


def disk_problem(path: Path, error: OSError) -> HushError:
    """What went wrong while writing, in words that say what is safe and what to do."""
    where = path.parent.name or str(path.parent)
    return HushError(
        f"{path.name} could not be written to {where}: {error.strerror or error}. The disk may be full. The frames "
        "written before it are whole; free some space and deliver again.",
        "disk-full",
    )


def to_unit(codes: Codes) -> np.ndarray:
    """Code values as float32 0..1."""
    return np.asarray(codes, np.float32) * np.float32(1.0 / top_code(codes))


def top_code(codes: Codes) -> int:
    """The largest code value of the array's type."""
    return int(np.iinfo(codes.dtype).max)
