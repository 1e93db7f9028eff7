"""Compile the engine's inner loops once, so that an artist's first click is not the one that waits for it.

``python -m hushcore.cli.warm``; the compiled code is kept beside the sources and reused by every process.
"""

import numpy as np

from hushcore.colour.encoding import Encoding
from hushcore.colour.looks import baked, default_look
from hushcore.edge.matte import Edge
from hushcore.grain.squares import carried
from hushcore.grain.steps import Steps
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.media import yuv
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.choose import clarity
from hushcore.plates.plate import make_plate
from hushcore.retouch.strokes import Canvas, Donor, Stroke, paint

SIZE = 200
BOX = np.array([[70, 70], [130, 70], [130, 130], [70, 130]], float)


def main() -> None:
    """Track, paint and lay a fix on a few small made-up frames, with every kind of hold."""
    rng = np.random.default_rng(1)
    texture = rng.integers(8000, 50000, (SIZE + 16, SIZE + 16, 3)).astype(np.uint16)
    frames = [texture[k * 3 : k * 3 + SIZE, :SIZE] for k in range(3)]
    for kind in ("planar", "mesh"):
        hold = None
        for _, growing in track(frames.__getitem__, Ground.of([(BOX * 1.5 - 50).tolist()]), kind, 0, 0, 2):
            hold = growing
        assert hold is not None
        for frame in (0, 1):
            stroke = Stroke("clone", np.array([[90, 90, 1], [110, 90, 1]], float), 8, donor=Donor((0, 30)))
            plate = make_plate(frames[frame], hold, frame, [stroke])
            heal = Stroke("heal", stroke.points, 8, flow=0.5, donor=Donor((3, 30), turn=10.0))
            paint(Canvas(plate.painted, plate.original, plate.rect), [heal])
            plan = Plan(Edge.of(BOX), Match("rim"))
            lay(
                frames[2],
                2,
                make_fix(hold, plan, [(frame, plate)], gather(frames.__getitem__, hold, plan.edge, plate.encoding)),
            )
        clarity(frames[1], hold.at(1), BOX)
    look = default_look(Encoding("acescct"))
    for depth in (np.uint8, np.uint16):
        plane = np.zeros((4, 4), depth)
        baked(look, Encoding("acescct")).show8(np.zeros((4, 4, 3), depth))
        layout, small = yuv.Layout(8, True, "bt709", 1, 1), plane[:2, :2].copy()
        shown = yuv.rgb16((plane, small, small), layout)
        yuv.patched((plane, small, small), layout, shown, shown + np.uint16(1000))
    Steps("bt709", 219).kept(shown, shown + np.uint16(1000), True)
    everywhere = np.ones((96, 96), bool)
    for channels in (1, 3):
        none = np.zeros((96, 96, channels), np.float32)
        carried((none, none), everywhere, everywhere, (0, 0), 0)


if __name__ == "__main__":
    main()
