"""Where a drawn surface is in front of the camera: exact points for any (u, v) and time.

Camera at the origin looking along +z, focal length = the distance of the flat surface, so that u, v are px at rest.
"""

import numpy as np
from numpy.typing import NDArray

from bench.proving.draw import Drawn

F64 = NDArray[np.float64]
FOCAL = 1.25  # of the frame's width
TURN_FROM, TURN_TO = -0.35, 1.3  # radians at which the mark begins and ends


def focal(drawn: Drawn) -> float:
    """Focal length in px."""
    return FOCAL * drawn.size[0]


def project(drawn: Drawn, points: F64) -> F64:
    """Camera points (..., 3) to pixels (..., 2)."""
    width, height = drawn.size
    z = points[..., 2]
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    return np.asarray(focal(drawn) * points[..., :2] / z[..., None] + centre)


def wobble(drawn: Drawn, time: float, channels: int, salt: int = 0) -> F64:
    """Smooth unit-sized motions of causes that do not repeat within a shot; RMS speed of each about .16 a frame."""
    rng = np.random.default_rng(drawn.seed * 13 + salt)
    total = np.zeros(channels)
    for k, pace in enumerate((0.013, 0.031, 0.058)):
        phase, size = rng.uniform(0, 2 * np.pi, channels), rng.normal(0, 1, channels) / (1 + k)
        total += size * np.sin(2 * np.pi * pace * time + phase)
    return total


def points(drawn: Drawn, u: F64, v: F64, time: float) -> F64:
    """Camera points (..., 3) of the surface at a time (frames from the first)."""
    f, count = focal(drawn), drawn.frames
    swing = min(drawn.speed / 0.16, 0.16 * drawn.size[0])
    move = wobble(drawn, time, 6)
    if drawn.motion == "turn":
        return _turned(drawn, u, v, time, move)
    x, y, z = u.astype(float), v.astype(float), np.zeros(u.shape)
    w = drawn.size[0]
    if drawn.motion == "bend":
        bow = 0.9 * np.sin(2 * np.pi * time / (1.6 * count) + drawn.seed)
        angle = bow * u / (0.8 * w)
        radius = 0.8 * w / bow if abs(bow) > 1e-3 else 1e9
        x, z = radius * np.sin(angle), radius * (1 - np.cos(angle))
    if drawn.motion == "shear":
        x = x + 0.10 * v * np.sin(2 * np.pi * time / (1.3 * count))
        for k, (length, deep) in enumerate(((52.0, 3.0), (95.0, 6.0), (170.0, 9.0))):
            way = wobble(drawn, 0.0, 2, 40 + k)
            way = way / (np.hypot(*way) + 1e-6)
            z = z + deep * np.sin(2 * np.pi * (u * way[0] + v * way[1]) / length + (0.10 + 0.05 * k) * time)
    if drawn.motion in ("sway", "bend", "shear"):
        swing *= 0.6
        z = z + 6 * np.sin(u / 130 + v / 210 + 0.09 * time)
    x, y, z = _tilted(x, y, z, 0.05 * move[0], 0.05 * move[1], 0.03 * move[2])
    depth = f
    if drawn.motion == "approach":
        depth = f * 2.0 ** -(time / max(1, count - 1))
        swing *= 0.3
    out = np.stack([x + swing * move[3], y + 0.5 * swing * move[4], z + depth + 0.01 * f * move[5]], -1)
    return np.asarray(out)


def mark_centre(drawn: Drawn) -> tuple[float, float]:
    """Where on the surface (u, v) the mark lies; for a standing mark, where in the frame from its middle."""
    rng = np.random.default_rng(drawn.seed * 17 + 3)
    if drawn.motion == "turn":
        return (0.0, float(rng.uniform(-0.06, 0.06) * drawn.size[1]))
    side = 0.12 if drawn.motion != "standing" else 0.28
    return tuple(float(rng.uniform(-side, side) * s) for s in drawn.size)  # type: ignore[return-value]


def _turned(drawn: Drawn, u: F64, v: F64, time: float, move: F64) -> F64:
    """A body of revolution, wider in its middle, turning until its silhouette comes to the mark."""
    width, height = drawn.size
    radius = 0.30 * width
    share = time / max(1, drawn.frames - 1)
    ease = share * share * (3 - 2 * share)
    angle = u / radius + TURN_FROM + (TURN_TO - TURN_FROM) * ease
    across = radius * (1 - 0.25 * (v / (0.8 * height)) ** 2)
    x, z = across * np.sin(angle), radius - across * np.cos(angle)
    x, y, z = _tilted(x, v.astype(float), z, 0.015 * move[0], 0.02 * move[1], 0.01 * move[2])
    return np.stack([x + 2 * move[3], y + 2 * move[4], z + focal(drawn)], -1)


def _tilted(x: F64, y: F64, z: F64, pan: float, tilt: float, roll: float) -> tuple[F64, F64, F64]:
    c, s = np.cos(pan), np.sin(pan)
    x, z = c * x + s * z, -s * x + c * z
    c, s = np.cos(tilt), np.sin(tilt)
    y, z = c * y - s * z, s * y + c * z
    c, s = np.cos(roll), np.sin(roll)
    return c * x - s * y, s * x + c * y, z


def bounds(drawn: Drawn) -> tuple[float, float, float, float]:
    """The surface's own edge: least and most u and v."""
    width, height = drawn.size
    x, y = mark_centre(drawn)
    if drawn.motion == "turn":
        reach = 0.30 * width * 2.6
        return -reach, -0.8 * height, reach, 0.8 * height
    near = drawn.radius + drawn.edge
    if drawn.edge > 60:
        return -0.85 * width, -0.85 * height, 0.85 * width, 0.85 * height
    return -0.85 * width, y - near if drawn.seed % 2 else -0.85 * height, x + near, 0.85 * height
