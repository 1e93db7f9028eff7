"""The whole chain on every demo shot, with the hold as measured and grain laid: beside the truth, and beside peers.

Targets: engine.md, "full chain with grain, after low-pass": the floor (truth in grain of its own) and a quarter more.
The cloth has its own test in test_chain; the figures of all shots, modes and peers are in ``bench match``.
"""

from dataclasses import replace

import pytest

from bench import match as bench
from hushcore.patch.plan import Match
from tests.conftest import VAR, rendered

FRAMES = {"arm": (18, 24, 42), "wall": (86402, 86414, 86424)}


@pytest.fixture(scope="module", params=list(FRAMES))
def ready(request):
    rendered(request.param)
    case = next(case for case in bench.cases() if case.folder == request.param)
    frames = FRAMES[request.param]
    return replace(bench.ready(case, VAR, (frames[0], frames[-1])), frames=list(frames))


def test_highlights_of_the_jug_stay_where_the_lamp_puts_them():
    """engine.md: at most 2.6 on gloss with the highlight baked into the plate; the paper on it is dull."""
    rendered("jug")
    case = next(case for case in bench.cases() if case.folder == "jug")
    jug = replace(bench.ready(case, VAR, (10, 38)), frames=[10, 17, 24, 31, 38])
    assert jug.evidence.standing is not None
    auto, alone = (bench.scored(jug, bench.laid_by(jug.fix(Match(standing=on))))[0] for on in ("auto", "off"))
    assert auto <= 2.6
    assert auto < alone - 0.8


def test_auto_is_within_a_quarter_of_the_floor_and_far_from_the_peers(ready):
    peers = dict(bench.peers(ready))
    floor, as_it_is, filled = (
        bench.scored(ready, peers[name])[0] for name in ("floor", "plate as it is", "cv2.inpaint Telea")
    )
    auto = bench.scored(ready, bench.laid_by(ready.fix(Match())))[0]
    assert auto <= floor + 0.25
    assert auto < as_it_is / 3
    assert auto < filled / 3
    assert ready.evidence.multiplies > 0.95  # both are lit, not glossy
