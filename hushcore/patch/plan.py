"""What is asked of a fix: its edge, its source, and how it is matched; and what the shot itself said about it."""

from dataclasses import dataclass, field
from typing import Any

from hushcore.edge.front import Front
from hushcore.edge.matte import Edge
from hushcore.edge.signs import Usual
from hushcore.errors import HushError
from hushcore.fill.plan import Fill
from hushcore.grain.model import Grain
from hushcore.grain.steps import Steps
from hushcore.light import fields
from hushcore.light.standing import Standing
from hushcore.patch.veil import Veil
from hushcore.plates.blend import BLENDS
from hushcore.retouch.soften import Soften
from hushcore.retouch.strokes import Stroke

SOURCES = ("replace", "lift", "retrace", "fill", "soften", "insert", "unveil")
ON_ITS_OWN = ("retrace", "soften")  # sources that change each frame's own pixels: nothing is lit
GRAINS = ("fresh", "keep", "off")
STANDINGS = ("auto", "off")
SHUTTER = 0.5  # of a frame: 180 degrees
STANDS = (
    "The mark stands in the frame and lies on another part of the surface on every frame. Fill it from other frames, or "
    "retouch a plate of what is behind it."
)
VEILED = (
    "Only a mark that stands in the frame all through the shot can be taken off as a veil: say in Edge that it stands, and leave "
    "its edge without keys."
)
RIDES = (
    "The mark rides the surface, so the same place is never uncovered on another frame. Fill from other frames suits what "
    "stands in the frame or is carried by another hold."
)


@dataclass(frozen=True)
class Repair:
    """Texture for a plate that is too soft: taken ``offset`` px away on the plate, below ``scale`` px (sigma)."""

    offset: tuple[float, float]
    scale: float = 6.0
    amount: float = 1.0


@dataclass(frozen=True)
class Match:
    """How a plate is made to belong to each frame.

    ``light``: one of ``fields.MODES``, ``strength`` of it 0..1, ``steady`` 0..1 over time, ``capped``: the mark's own
    shading kept out of it. ``blur``: the frame's motion blur; ``sharpness``: its softness. ``texture``: times its own;
    ``grain``: ``fresh`` (the plate's taken off, new laid), ``keep`` (the plate's kept, what is missing topped up) or
    ``off``, ``grain_amount`` times what was measured. ``standing``: highlights that stand in the frame stay there:
    ``auto``, where the shot shows that they explain it, or ``off``. ``multiplies``: 0..1, how much of the light multiplies,
    where that is set by hand. ``veil``: what shows through a mark that stands in the frame is brought back (``auto``, where it
    is see-through) or not (``off``). ``beside``: where a hold is unsure, a mark that is seen beside its patch is covered
    (``auto``) or left (``off``).
    """

    light: str = "auto"
    strength: float = 1.0
    steady: float = 0.0
    capped: bool = True
    blur: bool = True
    sharpness: bool = True
    texture: float = 1.0
    texture_scale: float = 6.0
    repair: Repair | None = None
    grain: str = "fresh"
    grain_amount: float = 1.0
    standing: str = "auto"
    multiplies: float | None = None
    veil: str = "auto"
    beside: str = "auto"

    def check(self) -> None:
        """Raises HushError for a light or grain mode that does not exist."""
        if self.light not in fields.MODES:
            raise HushError(f"There is no light mode {self.light!r}; choose {', '.join(fields.MODES)}.", "bad-light")
        if self.grain not in GRAINS:
            raise HushError(f"There is no grain mode {self.grain!r}; choose {', '.join(GRAINS)}.", "bad-grain")
        if self.standing not in STANDINGS:
            raise HushError(f"Standing highlights are {' or '.join(STANDINGS)}.", "bad-standing")
        if self.veil not in STANDINGS:
            raise HushError(f"What shows through a mark is looked for: {' or '.join(STANDINGS)}.", "bad-veil")
        if self.beside not in STANDINGS:
            raise HushError(f"A mark beside its patch is covered: {' or '.join(STANDINGS)}.", "bad-beside")


@dataclass(frozen=True)
class Tried:
    """A way of reading the light that was tried: mean Lab distance to the shot in the mark and in the ring, and the share
    of the retouch that leaked into it (see ``explain``)."""

    light: str
    multiplies: float
    mark: float
    ring: float
    leak: float


@dataclass(frozen=True)
class Choice:
    """What was chosen for a fix by what it does: the mode that ``auto`` stands for, how much of it multiplies, whether a
    highlight stands; and everything that was ``tried``."""

    light: str = "auto"
    multiplies: float = 1.0
    standing: bool = False
    tried: tuple[Tried, ...] = ()

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        tried = [
            {
                "light": one.light, "multiplies": round(one.multiplies, 4), "mark": round(one.mark, 3),
                "ring": round(one.ring, 3), "leak": round(one.leak, 4),
            }
            for one in self.tried
        ]  # fmt: skip
        return {
            "light": self.light, "multiplies": round(self.multiplies, 4), "standing": self.standing, "tried": tried,
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Choice":
        """From ``plain`` data."""
        tried = tuple(Tried(**one) for one in data["tried"])
        return Choice(data["light"], float(data["multiplies"]), bool(data["standing"]), tried)


@dataclass(frozen=True)
class Evidence:
    """What the shot says: how much of its light multiplies (1) or adds (0), its grain, its shutter (share of a frame),
    the highlight that stands in it, what was chosen for the fix, what its surface usually looks like, the steps that its
    luma stands on, and the veil that a mark which stands in the frame is.

    ``plain`` evidence is what is used before a shot has been looked at.
    """

    multiplies: float = 1.0
    grain: Grain | None = None
    shutter: float = SHUTTER
    standing: Standing | None = None
    choice: Choice | None = None
    usual: Usual | None = None
    steps: Steps | None = None
    veil: Veil | None = None

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        return {
            "multiplies": round(self.multiplies, 4), "shutter": round(self.shutter, 3),
            "grain": None if self.grain is None else self.grain.plain(),
            "standing": None if self.standing is None else self.standing.plain(),
            "choice": None if self.choice is None else self.choice.plain(),
            "usual": None if self.usual is None else self.usual.plain(),
            "steps": None if self.steps is None else self.steps.plain(),
            "veil": None if self.veil is None else self.veil.plain(),
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Evidence":
        """From ``plain`` data."""
        grain = Grain.of(data["grain"]) if data.get("grain") else None
        standing = Standing.of(data["standing"]) if data.get("standing") else None
        choice = Choice.of(data["choice"]) if data.get("choice") else None
        usual = Usual.of(data["usual"]) if data.get("usual") else None
        steps = Steps.of(data["steps"]) if data.get("steps") else None
        veil = Veil.of(data["veil"]) if data.get("veil") else None
        return Evidence(float(data["multiplies"]), grain, float(data["shutter"]), standing, choice, usual, steps, veil)


@dataclass(frozen=True)
class Plan:
    """A fix's recipe for the engine. ``stands``: the mark stands still in the frame while the surface moves under it;
    the edge is in frame px then."""

    edge: Edge
    match: Match = field(default_factory=Match)
    source: str = "replace"
    blend: str = "time"
    front: Front = field(default_factory=Front)
    stands: bool = False
    whole: bool = False
    fill: Fill | None = None
    soften: Soften | None = None
    strokes: tuple[Stroke, ...] = ()

    @property
    def from_others(self) -> bool:
        """Whether it is taken from other frames, where the mark was elsewhere."""
        return self.source == "fill" and self.fill is not None and self.fill.kind == "other frames"

    @property
    def shows_through(self) -> bool:
        """Whether what shows through the mark may be brought back: artwork has another picture on purpose, what is lifted has
        the frame's own."""
        return self.stands and (self.source == "replace" or self.from_others)

    @property
    def unveils(self) -> bool:
        """Whether a see-through mark is taken off each frame's own picture: neither a plate nor the hold is asked."""
        return self.source == "unveil"

    def check(self) -> None:
        """Raises HushError for an edge without area, or a mode or source that does not exist."""
        self.edge.check()
        self.match.check()
        if self.source not in SOURCES:
            raise HushError(f"There is no source {self.source!r}; choose {', '.join(SOURCES)}.", "bad-source")
        if self.blend not in BLENDS:
            raise HushError(f"Plates blend by {' or by '.join(BLENDS)}.", "bad-blend")
        if self.source == "fill":
            self._check_fill()
        elif self.source == "soften":
            if self.soften is None:
                raise HushError("Say how it is softened: scale, amount, texture, creases.", "incomplete")
            self.soften.check()
        elif self.source == "retrace" and not self.strokes:
            raise HushError("No stroke yet: paint on the plate, and it is redone on every frame.", "no-strokes")
        if self.unveils and (not self.stands or self.edge.changes):
            raise HushError(VEILED, "not-standing")
        if self.stands and self.source in ON_ITS_OWN:
            raise HushError(STANDS, "standing")

    def _check_fill(self) -> None:
        if self.fill is None:
            raise HushError("Choose a kind of fill.", "incomplete")
        self.fill.check()
        if self.stands and not self.from_others:
            raise HushError(STANDS, "standing")
        if self.from_others and not self.stands:
            raise HushError(RIDES, "not-standing")

    def light(self, evidence: Evidence) -> tuple[str, float]:
        """The mode that lights the plates, and how much of it multiplies: as asked, or as was chosen."""
        match, choice = self.match, evidence.choice
        mode = (
            choice.light if match.light == "auto" and choice is not None and match.multiplies is None else match.light
        )
        if self.from_others and mode == "auto":
            mode = "slope"  # what moves beside the mark is no light
        return mode, evidence.multiplies if match.multiplies is None else match.multiplies

    def gleam(self, evidence: Evidence) -> Standing | None:
        """The highlight that is kept where it stands: a lifted or inserted mark has what the frame shows."""
        plated = self.source == "replace" or (self.source == "fill" and not self.from_others)
        wanted = self.match.standing != "off" and self.match.light != "off" and plated and not self.stands
        return evidence.standing if wanted else None
