"""Who passes through the yard: flat figures of limbs, and a handcart, as how far inside (cm) a place is of each part."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

F32 = NDArray[np.float32]

# Someone who walks: where at the first frame (x, z cm), cm a frame, tall, tint of smock, phase, whether with the cart
WALKERS = (
    (-560.0, -150.0, 12.5, 172.0, (0.09, 0.11, 0.15), 0.3, False),
    (640.0, -300.0, -10.5, 166.0, (0.20, 0.085, 0.055), 1.7, True),
    (-150.0, -95.0, -6.0, 176.0, (0.19, 0.18, 0.15), 2.6, False),
)


def _limb(x: F32, y: F32, one: tuple[float, float], two: tuple[float, float], wide: float) -> F32:
    """How far inside (cm) a place is of a limb between two joints."""
    out = np.empty(x.shape, np.float32)
    _capsule(x, y, *(np.float32(value) for value in (*one, *two, wide)), out)
    return out


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _capsule(x, y, left, low, right, high, wide, out):  # type: ignore[no-untyped-def]
    dx, dy = right - left, high - low
    long = dx * dx + dy * dy
    for row in range(x.shape[0]):
        for col in range(x.shape[1]):
            px, py = x[row, col] - left, y[row, col] - low
            along = min(max((px * dx + py * dy) / long, np.float32(0)), np.float32(1))
            px, py = px - along * dx, py - along * dy
            out[row, col] = wide - np.sqrt(px * px + py * py)


def figure(x: F32, y: F32, walker: tuple, time: float) -> list[tuple[F32, tuple[float, float, float]]]:  # type: ignore[type-arg]
    """Parts of a walker, back to front: how far inside (cm) and albedo, at places right of and above their feet (cm)."""
    _, _, pace, tall, tint, phase, _ = walker
    way = np.sign(pace)
    swing = np.sin(2 * np.pi * time * abs(pace) / 150 + phase)
    hip, neck = 0.52 * tall, 0.83 * tall
    legs, skin, hair = (0.045, 0.045, 0.055), (0.34, 0.20, 0.14), (0.035, 0.026, 0.02)
    parts = []
    for side in (-1, 1):
        foot = side * 30 * swing
        knee = (0.5 * foot + way * 7, 0.27 * tall)
        parts.append(
            (
                np.maximum(
                    _limb(x, y, (0, hip), knee, 8.5), _limb(x, y, knee, (foot, 6 + 5 * max(0, side * swing)), 6.0)
                ),
                legs,
            )
        )
        parts.append((_limb(x, y, (foot, 5), (foot + way * 13, 4), 4.5), hair))
    far_arm, near_arm = ((-way * 26 * swing, hip + 4), (way * 26 * swing, hip + 4))
    parts.insert(0, (_limb(x, y, (0, neck - 8), far_arm, 5.5), tuple(0.7 * c for c in tint)))
    body = np.maximum(
        _limb(x, y, (0, hip - 22), (way * 2, neck - 12), 17.5),
        _limb(x, y, (way * 1, neck - 14), (way * 3, neck - 6), 19),
    )
    parts += [(body, tint), (_limb(x, y, (way * 3, neck), (way * 4, neck + 6), 6), skin)]
    head = 11.5 - np.hypot(x - way * 5, (y - neck - 15) * 0.86)
    parts += [
        (head, skin),
        (
            np.minimum(
                11.9 - np.hypot(x - way * 4, (y - neck - 16) * 0.86),
                (y - neck - 17) * way * way + 4 - way * (x - way * 4) * 0.7,
            ),
            hair,
        ),
    ]
    parts += [
        (_limb(x, y, (way * 1, neck - 8), near_arm, 5.5), tuple(1.15 * c for c in tint)),
        (5.5 - np.hypot(x - near_arm[0], y - near_arm[1] + 3), skin),
    ]
    return parts


def cart(x: F32, y: F32, time: float, pace: float) -> list[tuple[F32, tuple[float, float, float]]]:
    """A handcart with three crocks, ahead of who pushes it."""
    way = float(np.sign(pace))
    middle = way * 108
    x = x - middle
    turn = time * pace / 34
    wheel = 34 - np.hypot(x, y - 34)
    rim = 4.0 - np.abs(np.hypot(x, y - 34) - 31)
    angle = np.arctan2(y - 34, x) - turn
    spokes = np.minimum(1.9 - np.abs(np.sin(angle * 4)) * np.hypot(x, y - 34) / 4 * 0.9, wheel - 4)
    box = np.minimum(62 - np.abs(x), 15 - np.abs(y - 62))
    planks = np.minimum(box, 1.0 - np.abs((y - 62) % 10 - 5) + 3.2)
    shaft = _limb(x, y, (-way * 60, 66), (-way * 104, 92), 2.6)
    crocks: list[tuple[F32, tuple[float, float, float]]] = []
    for at, wide, high, colour in (
        (-36, 17, 26, (0.36, 0.20, 0.12)),
        (2, 20, 33, (0.16, 0.22, 0.21)),
        (38, 15, 23, (0.45, 0.38, 0.28)),
    ):
        crocks.append(
            (
                np.maximum(
                    wide - np.hypot(x - at, (y - 76 - 0.5 * high) * wide / high * 1.6),
                    np.minimum(0.55 * wide - np.abs(x - at), 4 - np.abs(y - 76 - 1.12 * high)),
                ),
                colour,
            )
        )
    return [
        *crocks,
        (box, (0.10, 0.07, 0.045)),
        (planks, (0.19, 0.135, 0.085)),
        (shaft, (0.17, 0.12, 0.08)),
        (rim, (0.06, 0.055, 0.05)),
        (spokes, (0.09, 0.075, 0.06)),
    ]
