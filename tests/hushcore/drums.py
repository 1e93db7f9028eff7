"""A shot whose truth is known: a printed drum that turns before a camera until what is printed on it has turned away."""

from functools import cache

import cv2
import numpy as np

from hushcore.geometry import spline
from hushcore.hold.confidence import CELL
from hushcore.hold.method import Method
from hushcore.hold.record import Hold, HoldFrame
from hushcore.hold.still import Ground

SIZE, FOCAL, RADIUS = (320, 240), 420.0, 90.0  # px; the drum's front is one focal length off
COUNT, ANCHOR = 24, 8
SPEED = 0.055  # radians a frame
CENTRE = (np.array(SIZE) - 1) / 2


def angle(frame: int) -> float:
    return SPEED * (frame - ANCHOR) + 0.0015 * (frame - ANCHOR) ** 2


def points(still: np.ndarray) -> np.ndarray:
    """Places that the anchor frame shows (..., 2) on the drum (..., 3), px, the axis at z = 0."""
    ray = np.concatenate([(still - CENTRE) / FOCAL, np.ones((*still.shape[:-1], 1))], -1)
    far = FOCAL + RADIUS
    # the nearer crossing of a ray with the drum's side
    a, b = ray[..., 0] ** 2 + 1, -far
    depth = (-b - np.sqrt(np.maximum(b * b - a * (far * far - RADIUS**2), 0))) / a
    return ray * depth[..., None] - [0, 0, far]


def truly(still: np.ndarray, frame: int) -> np.ndarray:
    """Where places of the anchor frame are on another (..., 2), px."""
    c, s = np.cos(angle(frame)), np.sin(angle(frame))
    at = points(still) @ np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]) + [0, 0, FOCAL + RADIUS]
    return FOCAL * at[..., :2] / at[..., 2:] + CENTRE


@cache
def read(frame: int) -> np.ndarray:
    """The drum with its print, before something bright."""
    x, y = np.meshgrid(np.arange(SIZE[0], dtype=float), np.arange(SIZE[1], dtype=float))
    on_drum = points(np.stack([x, y], -1))
    turned = np.arctan2(on_drum[..., 0], -on_drum[..., 2]) - angle(frame)
    rng = np.random.default_rng(5)
    print_ = cv2.GaussianBlur(rng.normal(0, 1, (400, 900)).astype(np.float32), (0, 0), 2.2)
    map_x, map_y = (450 + RADIUS * turned).astype(np.float32), (200 + on_drum[..., 1]).astype(np.float32)
    value = 0.35 + 0.6 * cv2.remap(print_, map_x, map_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    beyond = np.abs(x - CENTRE[0]) / FOCAL >= RADIUS / np.sqrt((FOCAL + RADIUS) ** 2 - RADIUS**2)
    value = np.where(beyond, 0.9, value) + np.random.default_rng(frame).normal(0, 0.004, value.shape)
    return np.repeat((np.clip(value, 0, 1) * 65535).astype(np.uint16)[..., None], 3, 2)


GROUND = Ground.of([[[112, 72], [208, 72], [208, 168], [112, 168]]])
GRID = spline.Grid.over(GROUND.rect(*SIZE), Method().stiffness.spacing)
CELLS = (-(-GRID.rect.height // CELL), -(-GRID.rect.width // CELL))


def row(params: np.ndarray, drift: float) -> HoldFrame:
    return HoldFrame(params, np.full(CELLS, drift, np.float32), drift, 1.0, False)


def held(known: range, drift: float = 0.4) -> Hold:
    """Truly held on some frames; on those beyond, as on the last of them that was."""
    hold = Hold("mesh", ANCHOR, SIZE, GRID, (GRID.rect.left, GRID.rect.top))
    for frame in range(COUNT):
        if frame == ANCHOR:
            continue
        near = int(np.clip(frame, known[0], known[-1]))
        params = spline.fitted(GRID, lambda still, near=near: truly(still, near))
        hold.frames[frame] = row(params, drift if frame in known else 6.0)
    return hold
