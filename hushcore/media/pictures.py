"""Single pictures: code values in, code values out, everything else in the file carried along.

DPX 8 to 16 bit, OpenEXR half and float, TIFF 8, 16 bit and float, PNG 8 and 16 bit, JPEG (read only). The picture that is
worked on is the display window; what an EXR holds outside it, its other channels and parts, stay as they are.
"""

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from hushcore.arrays import Codes, Rect
from hushcore.errors import HushError

SUFFIXES = (".tif", ".tiff", ".png", ".dpx", ".exr", ".jpg", ".jpeg")
READ_ONLY = (".jpg", ".jpeg")  # every save would change them
LARGEST_SIDE = 16384
LARGEST_PIXELS = 120_000_000
MOST_BYTES = 2_000_000_000  # of one decoded picture, all channels and parts
AS_STORED = "oiio:UnassociatedAlpha"
DEPTHS = {"uint8": np.uint8, "uint16": np.uint16, "half": np.float16, "float": np.float32}
OIIO_NAMES = {"uint8": "uint8", "uint16": "uint16", "float16": "half", "float32": "float"}
# EXR compressions that give back other values than they were given
LOSSY = ("b44", "b44a", "dwaa", "dwab")
AP0 = (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767)
AP1 = (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)


@dataclass(frozen=True)
class Header:
    """What a picture says of itself. ``depth`` is NumPy's name; ``bits`` those that integer codes really hold."""

    width: int
    height: int
    channels: int
    depth: str
    bits: int
    space: str
    pixel_aspect: float
    timecode: str
    rate: Fraction | None
    lossy: bool

    @property
    def look(self) -> tuple[int, int, int, str, int]:
        """What every frame of a clip must share."""
        return (self.width, self.height, self.channels, self.depth, self.bits)


def alone() -> None:
    """Read and write without threads: a process that forks must say so before its first picture, for its children would wait
    for threads that they do not have."""
    oiio.attribute("threads", 1)
    oiio.attribute("exr_threads", -1)


@contextmanager
def opened(path: Path) -> Iterator[oiio.ImageInput]:
    """An open picture whose codes come as they are stored. Raises HushError when it cannot be opened."""
    wish = oiio.ImageSpec()
    wish[AS_STORED] = 1
    wish["dpx:RawColor"] = 1
    wish["oiio:RawColor"] = 1
    try:
        found = oiio.ImageInput.open(str(path), wish)
    except UnicodeDecodeError:
        found = None
    if found is None:
        raise HushError(_unreadable(path), "unreadable")
    try:
        yield found
    finally:
        found.close()


def probe(path: Path) -> Header:
    """The header of a picture. Raises HushError when it cannot be read or is too large to work on."""
    with opened(path) as found:
        spec = found.spec()
        check(path, spec)
        return header_of(path, spec)


def header_of(path: Path, spec: oiio.ImageSpec) -> Header:
    """A header from the library's own."""
    depth = _depth(spec)
    bits = spec.get_int_attribute("oiio:BitsPerSample", 0)
    whole = 8 * np.dtype(depth).itemsize
    return Header(
        spec.full_width or spec.width, spec.full_height or spec.height, _colours(spec), depth,
        bits if depth == "uint16" and 8 < bits < whole else whole, _space(path, spec, depth),
        spec.get_float_attribute("PixelAspectRatio", 1.0) or 1.0, _timecode(spec), _rate(spec),
        path.suffix.lower() in READ_ONLY or str(spec.getattribute("compression") or "").split(":")[0] in LOSSY,
    )  # fmt: skip


def check(path: Path, spec: oiio.ImageSpec) -> None:
    """Raises HushError for a picture that cannot be worked on."""
    width, height = max(spec.width, spec.full_width), max(spec.height, spec.full_height)
    if max(width, height) > LARGEST_SIDE or width * height > LARGEST_PIXELS:
        raise HushError(
            f"{path.name} is {width} x {height}; pictures up to {LARGEST_SIDE} px a side and "
            f"{LARGEST_PIXELS // 1_000_000} megapixels can be worked on. Bring in a smaller version.",
            "too-large",
        )
    if min(spec.width, spec.height) < 1 or spec.depth > 1 or spec.deep:
        raise HushError(f"{path.name} is not a flat picture; render it flat.", "bad-depth")
    if spec.image_bytes() > MOST_BYTES:
        raise HushError(
            f"{path.name} would take {spec.image_bytes() / 1e9:.1f} GB; bring in fewer channels.", "too-large"
        )
    if str(spec.format) not in DEPTHS:
        raise HushError(
            f"{path.name} holds {spec.format} values; 8 and 16 bit integers, half and float can be read.", "bad-depth"
        )
    if _colours(spec) not in (1, 3, 4):
        raise HushError(f"{path.name} has {spec.nchannels} channels; 1, 3 or 4 can be read.", "bad-channels")


def _colours(spec: oiio.ImageSpec) -> int:
    """How many of the first channels are the picture: R, G, B and A where they are named, else all there are."""
    names = [name.upper() for name in spec.channelnames]
    if names[:3] == ["R", "G", "B"]:
        return 4 if names[3:4] == ["A"] else 3
    if names[:1] == ["Y"] or names[:1] == ["R"]:
        return 1
    return int(spec.nchannels)


def _depth(spec: oiio.ImageSpec) -> str:
    """NumPy's name of the colour channels' type; mixed ones are taken as the widest."""
    kinds = {str(kind) for kind in spec.channelformats[: _colours(spec)]} or {str(spec.format)}
    found = kinds.pop() if len(kinds) == 1 else "float"
    return np.dtype(DEPTHS.get(found, np.float32)).name


def _space(path: Path, spec: oiio.ImageSpec, depth: str) -> str:
    """The encoding that the file names, or the usual one of its kind."""
    primaries = spec.getattribute("chromaticities")
    if primaries is not None and len(primaries) == 8:
        for known, name in ((AP0, "ocio:ACES2065-1"), (AP1, "ocio:ACEScg")):
            if np.allclose(primaries, known, atol=2e-3):
                return name
    if depth.startswith("float"):
        return "linear"
    transfer = str(spec.getattribute("dpx:Transfer") or "")
    if path.suffix.lower() == ".dpx":
        return {"Printing density": "ocio:ADX10", "Linear": "linear"}.get(transfer, "bt1886")
    return "srgb"


def _timecode(spec: oiio.ImageSpec) -> str:
    found = spec.getattribute("smpte:TimeCode")
    if isinstance(found, str):
        return found.strip()
    if found is None or not len(found):
        return ""
    word = int(found[0]) & 0xFFFFFFFF  # SMPTE ST 268: BCD, hours in the top byte
    parts = [(word >> shift) & 0xFF for shift in (24, 16, 8, 0)]
    digits = [10 * (part >> 4 & 0x7) + (part & 0xF) for part in parts]
    return ":".join(f"{value:02d}" for value in digits)


def _rate(spec: oiio.ImageSpec) -> Fraction | None:
    for name in ("FramesPerSecond", "dpx:FrameRate", "dpx:TemporalFrameRate"):
        found = spec.getattribute(name)
        if isinstance(found, (tuple, list)) and len(found) == 2 and found[1]:
            return Fraction(int(found[0]), int(found[1]))
        if isinstance(found, (int, float)) and 1 <= found <= 240:
            return exact_rate(float(found))
    return None


def exact_rate(value: float) -> Fraction:
    """23.976 is 24000/1001: the fraction that a written rate means (common practice, SMPTE rates)."""
    whole = round(value)
    slow = Fraction(whole * 1000, 1001)
    if abs(value - whole) < 1e-3:
        return Fraction(whole)
    if abs(value - float(slow)) < 6e-3:
        return slow
    return Fraction(value).limit_denominator(1001)


def _unreadable(path: Path) -> str:
    reason = _said(oiio.geterror) or "no reason given"
    if not path.exists():
        return f"{path.name} is missing; put it back where it was."
    if path.stat().st_size == 0:
        return f"{path.name} is empty (0 bytes); copy it again from the original."
    return f"{path.name} cannot be read as a picture ({_short(reason)}); copy it again from the original."


def _said(ask: Callable[[], str]) -> str:
    """The library's own words; those it quotes from a damaged file may be no text at all."""
    try:
        return ask()
    except UnicodeDecodeError:
        return "damaged header"


def _short(reason: str) -> str:
    first = reason.strip().splitlines()[0] if reason.strip() else "damaged"
    return first.split('": ')[-1][:90]


def read_codes(path: Path) -> Codes:
    """The picture's code values (h, w, c) over its display window.

    Raises HushError when the file is missing, cut short, of another kind, or too large.
    """
    with opened(path) as found:
        spec = found.spec()
        check(path, spec)
        depth = _depth(spec)
        read = found.read_image(0, 0, 0, _colours(spec), OIIO_NAMES[depth])
        if read is None:
            raise _damaged(path, found)
    codes = np.asarray(read).reshape(spec.height, spec.width, -1)
    return codes if _whole(spec) else _on_display(codes, spec)


def _damaged(path: Path, found: oiio.ImageInput) -> HushError:
    return HushError(
        f"{path.name} is damaged or cut short ({_short(_said(found.geterror))}); copy it again from the original.",
        "truncated",
    )


def _whole(spec: oiio.ImageSpec) -> bool:
    """Whether the data window is the display window."""
    return (spec.x, spec.y, spec.width, spec.height) == (
        spec.full_x, spec.full_y, spec.full_width or spec.width, spec.full_height or spec.height,
    )  # fmt: skip


def _shared(spec: oiio.ImageSpec) -> tuple[Rect, Rect]:
    """The part that data and display window share, in display pixels and in data pixels."""
    data = Rect(spec.x, spec.y, spec.x + spec.width, spec.y + spec.height)
    display = Rect(spec.full_x, spec.full_y, spec.full_x + spec.full_width, spec.full_y + spec.full_height)
    both = data.within(display)
    return both.moved(-display.left, -display.top), both.moved(-data.left, -data.top)


def _on_display(codes: Codes, spec: oiio.ImageSpec) -> Codes:
    out = np.zeros((spec.full_height, spec.full_width, codes.shape[2]), codes.dtype)
    shown, held = _shared(spec)
    if not shown.empty:
        out[shown.slices] = codes[held.slices]
    return out


def delivered_suffix(suffix: str) -> str:
    """What a frame of this kind is delivered as: JPEG cannot give values back, so it becomes TIFF."""
    return ".tif" if suffix.lower() in READ_ONLY else suffix


def write_like(source: Path, path: Path, codes: Codes) -> None:
    """Write ``codes`` (h, w, c) as a file of the same kind as ``source``, with all else that it holds.

    Raises HushError as ``write_codes`` does.
    """
    with opened(source) as found:
        spec = oiio.ImageSpec(found.spec())
        if path.suffix.lower() != source.suffix.lower():
            write_codes(path, codes)
            return
        if str(spec.getattribute("compression") or "").split(":")[0] in LOSSY:
            spec["compression"] = "zip"
        simple = _whole(spec) and spec.nchannels == codes.shape[2]
        if simple and not found.seek_subimage(1, 0):
            write_codes(path, codes, spec)
            return
        found.seek_subimage(0, 0)
        parts = _parts(source, found)
    parts[0] = _replaced(spec, parts[0][1], codes)
    _whole_file(path, parts)


Part = tuple[oiio.ImageSpec, np.ndarray]


def _parts(source: Path, found: oiio.ImageInput) -> list[Part]:
    """All parts of a file with all their channels."""
    parts: list[Part] = []
    while found.seek_subimage(len(parts), 0):
        spec = oiio.ImageSpec(found.spec())
        mixed = {str(kind) for kind in spec.channelformats}
        kind = "double" if mixed & {"uint", "uint32"} else "float" if len(mixed) > 1 else str(spec.format)
        read = found.read_image(len(parts), 0, 0, spec.nchannels, kind)
        if read is None:
            raise _damaged(source, found)
        parts.append((spec, np.asarray(read).reshape(spec.height, spec.width, -1)))
    return parts


def _replaced(spec: oiio.ImageSpec, held: np.ndarray, codes: Codes) -> Part:
    """The picture's channels put in; the data window grows when something now lies outside it."""
    shown, inside = _shared(spec)
    outside = np.ones(codes.shape[:2], bool)
    if not shown.empty:
        outside[shown.slices] = False
    if (outside & (codes != 0).any(-1)).any():
        return _replaced(*_grown(spec, held), codes)
    if not shown.empty:
        held[inside.slices][..., : codes.shape[2]] = codes[shown.slices]
    return spec, held


def _grown(spec: oiio.ImageSpec, held: np.ndarray) -> Part:
    """Data window grown to hold the whole display window, with zeros where nothing was."""
    left, top = min(spec.x, spec.full_x), min(spec.y, spec.full_y)
    right = max(spec.x + spec.width, spec.full_x + spec.full_width)
    bottom = max(spec.y + spec.height, spec.full_y + spec.full_height)
    out = np.zeros((bottom - top, right - left, held.shape[2]), held.dtype)
    out[spec.y - top : spec.y - top + spec.height, spec.x - left : spec.x - left + spec.width] = held
    wide = oiio.ImageSpec(spec)
    wide.x, wide.y, wide.width, wide.height = left, top, right - left, bottom - top
    return wide, out


def read_all(path: Path) -> Codes:
    """All channels of a picture's first part (h, w, c), as they are stored. Raises HushError as ``read_codes`` does."""
    with opened(path) as found:
        spec = found.spec()
        read = found.read_image(0, 0, 0, spec.nchannels, str(spec.format))
        if read is None:
            raise _damaged(path, found)
    return np.asarray(read).reshape(spec.height, spec.width, -1)


def write_codes(path: Path, codes: Codes, spec: oiio.ImageSpec | None = None, straight: bool = True) -> None:
    """Write code values (h, w, c); ``spec`` carries metadata and compression over; ``straight``: alpha has not been multiplied
    into them.

    Written beside its place and moved there whole. Raises HushError (kind ``disk-full`` when that is why)
    and leaves nothing half-written.
    """
    kind = OIIO_NAMES[str(codes.dtype)]
    header = oiio.ImageSpec(codes.shape[1], codes.shape[0], codes.shape[2], kind)
    if spec is not None:
        header = oiio.ImageSpec(spec)
        header.set_format(kind)
    header[AS_STORED] = int(straight)
    _whole_file(path, [(header, codes)])


def _whole_file(path: Path, parts: list[Part]) -> None:
    with written_whole(path) as part:
        _write(part, parts)


def _write(part: Path, parts: list[Part]) -> None:
    out = oiio.ImageOutput.create(str(part))
    if out is None:
        raise HushError(f"{part.suffix} files cannot be written; use .tif, .png, .dpx or .exr.", "bad-suffix")
    specs = tuple(spec for spec, _ in parts)
    done = out.open(str(part), specs) if len(specs) > 1 else out.open(str(part), specs[0])
    for k, (spec, values) in enumerate(parts):
        if done and k:
            done = out.open(str(part), spec, "AppendSubimage")
        done = done and out.write_image(np.ascontiguousarray(values))
    reason = "" if done else _said(out.geterror)
    closed = out.close()
    if not (done and closed):
        raise OSError(reason or _said(out.geterror) or "the file could not be finished")
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


@contextmanager
def written_whole(path: Path, broken: tuple[type[Exception], ...] = ()) -> Iterator[Path]:
    """A place beside ``path`` to write to, moved there once the block ends well; else nothing is left of it.

    Raises HushError as ``disk_problem`` has it for errors of the disk and those named in ``broken``.
    """
    part = path.with_name(f".{path.stem}.{os.getpid()}.part{path.suffix}")
    caught: tuple[type[Exception], ...] = (OSError, *broken)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        yield part
        os.replace(part, path)
    except caught as error:
        raise disk_problem(path, error if isinstance(error, OSError) else OSError(str(error))) from error
    finally:
        part.unlink(missing_ok=True)
