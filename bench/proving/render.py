"""A drawn shot on disk, with its truth beside it; kept under var and never rendered twice."""

import hashlib
import json
from dataclasses import asdict
from pathlib import Path

import numpy as np

from bench.proving import camera, city, scene
from bench.proving.draw import Drawn, draw
from demo.noise import F32

FIRST = {"tiff": 1001, "log": 1001, "half": 1001}  # movies begin at 0


def first(drawn: Drawn) -> int:
    """The clip's first frame number."""
    return FIRST.get(drawn.codec, 0)


def code_of() -> str:
    """Digest of everything that the pictures depend on."""
    here = Path(__file__).parent
    demo = here.parent.parent / "demo"
    files = [here / f"{name}.py" for name in ("camera", "draw", "motion", "render", "scene", "surface")]
    files += [demo / f"{name}.py" for name in ("linen", "noise", "raster", "sensor", "shade")]
    return hashlib.sha256(b"".join(file.read_bytes() for file in files)).hexdigest()[:12]


def rendered(seed: int, var: Path) -> Path:
    """The folder of a seed's shot, rendered if need be: ``shot`` (as shot), ``truth`` (without the mark, in grain of its
    own), ``exact.npz`` (linear, without grain), ``truth.npz``, ``shot.json``. Seed 0 is the real shot (``city``)."""
    if seed == 0:
        return city.rendered(var)
    drawn = draw(seed)
    folder = var / "proving" / f"{seed:03d}"
    stamp = folder / "rendered.txt"
    if stamp.exists() and stamp.read_text() == code_of():
        return folder
    folder.mkdir(parents=True, exist_ok=True)
    _render(drawn, folder)
    stamp.write_text(code_of())
    return folder


def _render(drawn: Drawn, folder: Path) -> None:
    made = scene.Scene.of(drawn)
    at = scene.anchor(made)
    shot: list[F32] = []
    truth: list[F32] = []
    exact, masks, fronts, surfaces = [], [], [], []
    over = scene.overlay(drawn) if drawn.motion == "standing" else None
    for number in range(drawn.frames):
        marked, clean, covered = scene.frame(made, number)
        mask = scene.coverage(made, number) if over is None else over[0] * scene.shown(drawn, number)
        if over is not None:  # laid on the finished film, in its own values
            cover, light = over[0] * scene.shown(drawn, number), over[1]
            grained = camera.exposed(drawn, clean, 1000 * drawn.seed + number)
            ink = camera.encode(drawn, light) if drawn.codec != "half" else light * 0.8
            shot.append(np.asarray(grained + cover[..., None] * (ink - grained), np.float32))
        else:
            shot.append(camera.exposed(drawn, marked, 1000 * drawn.seed + number))
        truth.append(camera.exposed(drawn, clean, 500_000 + 1000 * drawn.seed + number))
        exact.append(camera.decode(drawn, camera.exposed(drawn, clean, 0, grained=False)).astype(np.float16))
        masks.append(np.round(255 * mask).astype(np.uint8))
        fronts.append(np.round(255 * covered).astype(np.uint8))
        depth, _ = scene.buffers(made, float(number), (0.0, 0.0))
        surfaces.append(depth < 1e6)
    place = camera.write(drawn, folder, "shot", shot)
    camera.write(drawn, folder, "truth", truth)
    np.savez_compressed(folder / "exact.npz", exact=np.stack(exact))
    np.savez_compressed(
        folder / "truth.npz", masks=np.stack(masks), fronts=np.stack(fronts), surfaces=np.stack(surfaces),
        **scene.truth(made, at),
    )  # fmt: skip
    said = {"drawn": asdict(drawn), "anchor": at + first(drawn), "place": place, "words": drawn.words}
    (folder / "shot.json").write_text(json.dumps(said, indent=1))
