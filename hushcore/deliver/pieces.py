"""What a delivery is made of: frames, mattes, the patch alone, previews; each in a form, under a name."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from typing import Any, Literal

from hushcore.colour.encoding import Encoding
from hushcore.deliver import naming
from hushcore.deliver.forms import OWN, SOURCE, Form, Values, form_of
from hushcore.errors import HushError
from hushcore.media.footage import Footage
from hushcore.media.movies import Movie
from hushcore.media.pictures import delivered_suffix
from hushcore.media.recording import SUFFIX

What = Literal["frames", "mattes", "patch", "preview", "side"]
WORDS = {
    "frames": "Finished frames", "mattes": "Mattes", "patch": "Patch alone", "preview": "Preview",
    "side": "Source and patched, side by side",
}  # fmt: skip
SHOWN = ("preview", "side")  # pictures for looking at, with the look in them
TOGETHER = "all"  # the name of all fixes' matte in one
NAMES = {
    "frames": "{clip}.####", "mattes": "mattes/{fix}.####", "patch": "patch/{clip}.####", "preview": "{clip}-preview",
    "side": "{clip}-side-by-side",
}  # fmt: skip


@dataclass(frozen=True)
class Piece:
    """One thing that is written. ``form``: ``source`` or a name of ``forms.FORMS``; ``space``: the encoding to write, or
    ``own``; ``each``: a matte a fix, or all together; ``straight``: of the patch alone; ``mattes``: along with the frames as
    channels of their own (OpenEXR); ``name``: its pattern, empty for the usual one."""

    what: What = "frames"
    form: str = SOURCE
    space: str = OWN
    each: bool = True
    straight: bool = True
    mattes: bool = False
    name: str = ""

    @property
    def key(self) -> str:
        """What makes its pixels: two pieces with one key hold the same values."""
        parts = asdict(self)
        del parts["name"]
        return " ".join(f"{name}={value}" for name, value in parts.items())

    @property
    def like_source(self) -> bool:
        """Written as the source is: its kind of file, its names, and all else that its files hold."""
        return self.what == "frames" and self.form == SOURCE

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        return asdict(self)


@dataclass(frozen=True)
class Order:
    """A delivery of a clip: its pieces, ready to be written. ``words``: what stands for the names' tokens; ``fixes``: the
    names of the fixes, plain and different from each other; ``timecode``: of the clip's first frame."""

    clip: Footage
    encoding: Encoding
    pieces: tuple[Piece, ...]
    fixes: tuple[str, ...]
    words: dict[str, str]
    timecode: str = ""
    rate: Fraction | None = None

    def form(self, piece: Piece) -> Form:
        """The form of a piece. That of one like the source is FFV1 for a movie; a picture's is not needed."""
        if piece.what in SHOWN:
            return form_of("h264")
        if piece.form == SOURCE:
            return form_of("ffv1" if isinstance(self.clip, Movie) else "tiff16")
        return form_of(piece.form)

    def values(self, piece: Piece) -> Values:
        """How a piece's values are made."""
        return Values(self.encoding, self.form(piece), piece.space)

    def movie(self, piece: Piece) -> bool:
        """Whether a piece is one file for all frames."""
        return self.form(piece).kind == "movie" and not (piece.like_source and not isinstance(self.clip, Movie))

    def covers(self, piece: Piece) -> tuple[str, ...]:
        """The mattes of a piece of mattes: one a fix, or one of all."""
        return self.fixes if piece.each else (TOGETHER,)

    def file(self, piece: Piece, frame: int, fix: str = "") -> str:
        """The relative path of what is written for a frame; of a movie the same for all."""
        words = {**self.words, "fix": fix, "piece": piece.what}
        if piece.like_source and not piece.name:
            if isinstance(self.clip, Movie):
                return self.clip.name + SUFFIX
            return self.clip.delivered(frame)
        suffix = self.form(piece).suffix
        if piece.like_source and not isinstance(self.clip, Movie):
            suffix = delivered_suffix(self.clip.suffix)
        pattern = piece.name or NAMES[piece.what]
        return naming.name(pattern, words, None if self.movie(piece) else frame, suffix)

    def said(self) -> list[dict[str, Any]]:
        """What is written, in words, for the proof."""
        return [
            {
                **piece.plain(), "words": WORDS[piece.what], "key": piece.key,
                "form_words": "As the source" if piece.form == SOURCE else self.form(piece).words,
                "values": "every value kept" if piece.like_source else self.values(piece).said(self.clip.depth),
                **({"alpha": _alpha(piece, self.form(piece))} if piece.what == "patch" else {}),
            }
            for piece in self.pieces
        ]  # fmt: skip


def _alpha(piece: Piece, form: Form) -> str:
    if piece.straight:
        return "straight: lay it over the source in scene-linear light"
    return "premultiplied in linear light" if form.floats else "premultiplied as coded"


def order(
    clip: Footage, encoding: Encoding, pieces: Sequence[Piece], fixes: Sequence[str], words: dict[str, str],
    timecode: str = "", rate: Fraction | None = None,
) -> Order:  # fmt: skip
    """Check what is asked for and make it ready. Raises HushError when a piece cannot be written, or two files would have
    one name; nothing has been written then."""
    if not pieces:
        raise HushError("Choose what to deliver: frames, mattes, the patch alone or a preview.", "bad-form")
    ready = Order(
        clip, encoding, tuple(map(_settled, pieces)), tuple(naming.distinct(list(fixes))), words, timecode, rate
    )
    for piece in ready.pieces:
        _check(ready, piece)
    _check_names(ready)
    return ready


def _settled(piece: Piece) -> Piece:
    """Mattes and the patch alone have no source to be like: theirs is the widest common form."""
    if piece.what in ("mattes", "patch") and piece.form == SOURCE:
        return replace(piece, form="tiff16")
    return replace(piece, form="h264") if piece.what in SHOWN else piece


def _check(ready: Order, piece: Piece) -> None:
    form = ready.form(piece)
    if piece.name:
        naming.check(piece.name, not ready.movie(piece))
    if piece.what in SHOWN:
        return
    if form.key == "h264":
        raise HushError("H.264 is for previews; choose another form for what goes on.", "bad-form")
    if piece.mattes and not (piece.what == "frames" and form.suffix == ".exr" and not piece.like_source):
        raise HushError("Mattes as channels of the frames go into OpenEXR only.", "bad-form")
    if piece.what == "patch" and not form.alpha:
        raise HushError(f"{form.words} holds no alpha; the patch alone needs one.", "bad-form")
    if piece.what == "patch" and not piece.straight and form.suffix == ".png":
        raise HushError("PNG holds straight alpha only; choose TIFF or OpenEXR for a premultiplied one.", "bad-form")
    if piece.what == "mattes" and form.coded:
        raise HushError("Mattes are kept without loss; choose pictures or FFV1.", "bad-form")
    if piece.what != "mattes" and not piece.like_source:
        ready.values(piece).check(ready.clip.depth)


def _check_names(ready: Order) -> None:
    taken: dict[str, str] = {}
    for piece in ready.pieces:
        names = [""]
        if piece.what == "mattes":
            names = list(ready.covers(piece))
        for fix in names:
            file = ready.file(piece, ready.clip.first, fix).lower()
            if file in taken:
                raise HushError(
                    f"{WORDS[piece.what]} and {taken[file]} would both be written as {file}; give one another name, or put "
                    "{fix} or {piece} into it.",
                    "bad-pattern",
                )
            taken[file] = WORDS[piece.what].lower()
