"""What is asked of a fill."""

from dataclasses import dataclass

from hushcore.arrays import F64
from hushcore.errors import HushError

KINDS = ("soak", "contour", "pull", "weave", "borrow", "other frames")
RESTS = ("weave", "soak", "plate")
LARGEST_OFFSET = 20_000.0  # px
TAKE_FROM = "Drag the clean place to take from: it must lie beside the mark, not on it."


@dataclass(frozen=True)
class BorrowKey:
    """Where a borrowed place lies on a frame; ``offset`` px from the mark, ``turn`` degrees, ``zoom`` times as large."""

    frame: int
    offset: tuple[float, float]
    turn: float = 0.0
    zoom: float = 1.0

    def between(self, other: "BorrowKey", frame: int) -> "BorrowKey":
        """Evenly from one key to another."""
        t = (frame - self.frame) / (other.frame - self.frame)
        x, y = (a + t * (b - a) for a, b in zip(self.offset, other.offset, strict=True))
        return BorrowKey(
            frame, (x, y), self.turn + t * (other.turn - self.turn), self.zoom * (other.zoom / self.zoom) ** t
        )


@dataclass(frozen=True)
class Fill:
    """A kind of ``KINDS`` with what it needs, sizes in still px.

    ``smooth``: along the rim; ``way``: of contour, ``flow`` or ``march``; ``direction``: of pull, degrees, 0 to the right
    and 90 down, None draws the rim inwards from all sides; ``side``: -1 from behind alone, 0 from both, 1 from ahead alone;
    ``patch``: px that weave copies at a time, ``place`` (n, 2): where it takes its texture, None round the mark; ``seed``:
    another answer. Borrow: ``offset``, ``turn`` (degrees), ``zoom``, ``flip``, ``keys`` over time; ``exposure`` in stops and
    ``saturation`` set to fit, ``fit``: its tone brought to the rim's; ``live``: taken from every frame anew.
    Other frames: ``reach`` frames away at most, ``rest``
    for what is never uncovered.
    """

    kind: str = "soak"
    smooth: float = 6.0
    way: str = "flow"
    direction: float | None = None
    side: float = 0.0
    patch: int = 25
    place: F64 | None = None
    seed: int = 0
    offset: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    zoom: float = 1.0
    flip: bool = False
    keys: tuple[BorrowKey, ...] = ()
    exposure: float = 0.0
    saturation: float = 1.0
    fit: bool = True
    live: bool = False
    reach: int = 48
    rest: str = "weave"

    def check(self) -> None:
        """Raises HushError for a fill that cannot be made."""
        if self.kind not in KINDS:
            raise HushError(f"There is no fill called {self.kind!r}; choose {', '.join(KINDS)}.", "bad-fill")
        if self.rest not in RESTS:
            raise HushError(f"What is never uncovered is filled by {', '.join(RESTS)}.", "bad-fill")
        if self.kind == "borrow" and self.offset == (0, 0) and not self.keys:
            raise HushError(f"No place to borrow from yet. {TAKE_FROM}", "no-donor")

    @property
    def moves(self) -> bool:
        """Whether the donor is taken from every frame anew."""
        return self.kind == "borrow" and (self.live or bool(self.keys))

    def at(self, frame: int) -> BorrowKey:
        """Where the borrowed place lies on a frame: evenly between keys, held before the first and after the last."""
        if not self.keys:
            return BorrowKey(frame, self.offset, self.turn, self.zoom)
        before = [key for key in self.keys if key.frame <= frame]
        after = [key for key in self.keys if key.frame > frame]
        if not before or not after:
            return before[-1] if before else after[0]
        return before[-1].between(after[0], frame)
