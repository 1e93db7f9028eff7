"""What is on by default, chosen by what it does on the shot itself: how much of the light multiplies, the mode that
``auto`` stands for, and whether a highlight stands in the frame.

First, do no harm: the plain choice stays unless a rival explains the shot clearly better and does not read the mark for
light. All rivals are held against each other on the same places of the same frames (see ``explain``).
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from hushcore.arrays import F32
from hushcore.colour.encoding import Encoding
from hushcore.edge.front import Front
from hushcore.edge.signs import Usual
from hushcore.hold.record import Hold
from hushcore.light.standing import Standing
from hushcore.patch.explain import Figures, Way, figures, places_of, retouched, spread
from hushcore.patch.fix import Reader, make_fix
from hushcore.patch.overlaid import overlay_of
from hushcore.patch.passing import signs_of
from hushcore.patch.plan import ON_ITS_OWN, Choice, Evidence, Plan, Tried
from hushcore.patch.unveiled import veil_of
from hushcore.patch.veil import Veil
from hushcore.plates.plate import Plate

SHARES = (1.0, 0.5, 0.0)  # of the light that multiplies: what is tried
BETTER_BY = 0.25  # by which a rival must explain better than what the shot's own evidence says
ADDS_BY = 0.95  # times what light explains that all multiplies, at which light that is said to add is believed
LEAK_MOST = 0.1  # of the retouch in the light: right fields give under .02, one that had read the mark .20
PLAINER_BY = 0.95  # times what the best explains, at which light that does not look under the mark is taken
SEEN = 0.6  # share of the ground that a frame must see to have a say
RIGID = "slope"  # light in which a standing highlight is judged: one that bends could take its place
RING_FALLS_TO, MARK_RISES_BY = 0.5, 1.25  # of what is explained without the highlight
TINT_MOST = 1.35  # of a highlight's strongest channel over its weakest: a lamp's colour is not the surface's
PLAIN = ("slope", "rim")  # modes that do not look under the mark at all


def settled(
    said: Evidence,
    hold: Hold,
    plan: Plan,
    plates: Sequence[tuple[int, Plate]],
    read: Reader,
    encoding: Encoding,
    kept: Choice | None = None,
) -> Evidence:
    """Evidence with what was chosen for a fix. ``plates``: frame and plate each, the first one tells; ``kept``: a choice
    that was made before, which is taken as it is.

    A fix without places to read keeps the evidence as it is, without a highlight. Deterministic.
    """
    plain = replace(said, standing=None, choice=None)
    if plan.unveils:
        frames = sorted({hold.anchor, *hold.frames})
        return replace(plain, multiplies=1.0, veil=overlay_of(read, frames, plan.edge, hold.size, encoding))
    if plan.shows_through and plates:
        return replace(plain, multiplies=1.0, veil=_veil(hold, plan, plates, read, replace(plain, multiplies=1.0)))
    if plan.stands or plan.source == "insert" or plan.source in ON_ITS_OWN or not plates:
        return replace(plain, multiplies=1.0)  # nothing can be judged: the plain choice
    # over all of the edge, and the ring round that: the limits of the rule were measured so
    bare = replace(
        plan,
        whole=True,
        match=replace(plan.match, grain="off", light="auto", steady=0.0, strength=1.0, standing="auto"),
    )
    held = [
        n for n in sorted(hold.frames) if n != plates[0][0] and hold.frames[n].seen >= SEEN and not hold.frames[n].lost
    ]
    if not held:
        return replace(plain, multiplies=1.0)
    frames = spread(held)
    fix = make_fix(hold, bare, plates[:1], plain, None, read, 0)
    places = places_of(replace(fix, plan=replace(bare, front=Front(auto=False))), frames, read)
    shown = [signs_of(place.seen.reading, place.seen.first) for place in places]
    plain = replace(plain, usual=Usual.of_frames(fix.rect.left, fix.rect.top, shown))
    if kept is not None:
        standing = said.standing if kept.standing else None
        return replace(said, multiplies=kept.multiplies, standing=standing, choice=kept, usual=plain.usual)
    standing = said.standing
    if standing is not None:
        with_it = make_fix(hold, bare, plates[:1], replace(said, choice=None), None, read, 0)
        usable = {place.frame: place.usable for place in places}
        others = [
            replace(place, usable=usable[place.frame]) for place in places_of(with_it, frames, read)
            if place.frame in usable
        ]  # fmt: skip
        rigid = Way(RIGID, 1.0)
        if stays(figures(fix, places, rigid), figures(with_it, others, rigid), colour_of(standing)):
            fix, places = with_it, others
        else:
            standing = None
    known: list[Tried] = []
    for way in _ways(said.multiplies):
        figure = figures(fix, places, way)
        if figure is None:
            return replace(plain, standing=standing, multiplies=1.0)
        known.append(Tried(way.light, way.multiplies, figure.mark, figure.ring, figure.leak))
    best = best_of(known, retouched(fix))
    choice = Choice(best.light, best.multiplies, standing is not None, tuple(known))
    return replace(said, multiplies=best.multiplies, standing=standing, choice=choice, usual=plain.usual)


def _veil(
    hold: Hold, plan: Plan, plates: Sequence[tuple[int, Plate]], read: Reader, said: Evidence
) -> Veil | None:  # fmt: skip
    """What a standing mark is as a veil; looked at once more where it goes on beyond what its own frame showed of it. Frames on
    which the surface is lost count: what lies beside the lines is seen there in other light."""
    frames = sorted(hold.frames)
    fix = make_fix(hold, plan, plates, replace(said, veil=None), None, read, 0)
    veil = veil_of(fix, frames, read)
    whole = make_fix(hold, plan, plates, replace(said, veil=veil), None, read, 0)
    before, after = fix.plan.edge.kept, whole.plan.edge.kept
    if before is None or after is None or np.array_equal(before.share, after.share):
        return veil
    return veil_of(whole, frames, read)


def _ways(multiplies: float) -> list[Way]:
    """What is tried: the evidence's own first."""
    shares = [multiplies, *(share for share in SHARES if abs(share - multiplies) > 0.1)]
    return [*(Way("auto", share) for share in shares), *(Way(name, 1.0) for name in PLAIN)]


def best_of(tried: Sequence[Tried], change: float) -> Tried:
    """The first, unless a rival explains clearly better or the first has read the mark for light; light that is said to add
    must explain better than light that all multiplies, as nearly all light does. ``change``: mean Lab distance that the
    retouch makes in the mark, of which a leak leaves its share."""
    own, rivals = tried[0], [one for one in tried[1:] if one.light == "auto"]
    usual = next((one for one in rivals if one.multiplies == 1.0), None)
    if usual is not None and ADDS_BY * usual.mark <= own.mark and usual.leak <= LEAK_MOST:
        own = usual
    plain = [one for one in tried if one.light != "auto"]
    if own.leak > LEAK_MOST:
        # what leaks is weighed, not ruled out: light that does not look under the mark may be worse by far
        clean = [one for one in rivals if one.leak < min(LEAK_MOST, own.leak / 2)]
        return min([own, *(clean or [*rivals, *plain])], key=lambda one: one.mark + max(0.0, one.leak) * change)
    better = [one for one in rivals if one.mark < (1 - BETTER_BY) * own.mark and one.leak <= LEAK_MOST]
    best = min(better, key=lambda one: one.mark) if better else own
    rigid = min(plain, key=lambda one: one.mark, default=best)
    return rigid if rigid.mark < PLAINER_BY * best.mark else best


def stays(without: Figures | None, with_it: Figures | None, colour: F32) -> bool:
    """Whether a standing highlight is one. ``colour`` (3,): its light's, mean 1."""
    if without is None or with_it is None:
        return False
    ring = with_it.ring < RING_FALLS_TO * without.ring
    mark = with_it.mark <= MARK_RISES_BY * without.mark
    return ring and mark and float(colour.max() / max(colour.min(), 1e-3)) <= TINT_MOST


def colour_of(standing: Standing) -> F32:
    """A highlight's colour where it is strong, mean 1."""
    level = standing.added.mean(-1)
    strong = level > 0.3 * np.percentile(level, 99.5)
    colour = standing.added[strong].mean(0) if strong.any() else np.ones(3)
    return np.asarray(colour / max(float(colour.mean()), 1e-6), np.float32)


def words(choice: Choice) -> str:
    """A choice in a sentence, with the runner-up."""
    own = next((one for one in choice.tried if (one.light, one.multiplies) == (choice.light, choice.multiplies)), None)
    if own is None:
        return ""
    said = f"{_name(own)}: explains the mark to {own.mark:.1f}"
    if own.leak > LEAK_MOST:
        said += f" and carries {round(100 * own.leak)} % of it"
    others = [one for one in choice.tried if one is not own]
    if others:
        other = min(others, key=lambda one: one.mark)
        carries = " and would carry the mark" if other.leak > LEAK_MOST else ""
        said += f", {_name(other)[0].lower()}{_name(other)[1:]} to {other.mark:.1f}{carries}"
    return said + ("; a highlight stands in the frame." if choice.standing else ".")


def _name(one: Tried) -> str:
    if one.light == "slope":
        return "A slope from round about"
    if one.light == "rim":
        return "Light from the rim"
    if one.multiplies >= 0.9:
        return "Light from under the mark"
    return "Added light" if one.multiplies <= 0.1 else "Light half added"
