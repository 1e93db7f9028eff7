"""Per-pixel shading of the apron scene from its geometry buffers (linear light)."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

F32 = NDArray[np.float32]

FAR = 1e6
AMBIENT = np.array([0.125, 0.142, 0.168], np.float32)
BOUNCE = np.array([0.085, 0.060, 0.038], np.float32)
KEY_COLOUR = np.array([1.08, 1.0, 0.88], np.float32)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def sample_map(maps, u, v, out):  # type: ignore[no-untyped-def]
    """Bilinear texel (u right, v down, in texels) of ``maps`` (h, w, n) into ``out`` (n,)."""
    height, width, count = maps.shape
    u = min(max(u, 0.0), width - 1.001)
    v = min(max(v, 0.0), height - 1.001)
    x, y = int(u), int(v)
    fx, fy = u - x, v - y
    for k in range(count):
        upper = maps[y, x, k] * (1 - fx) + maps[y, x + 1, k] * fx
        lower = maps[y + 1, x, k] * (1 - fx) + maps[y + 1, x + 1, k] * fx
        out[k] = upper * (1 - fy) + lower * fy


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def sample_one(maps, u, v, k):  # type: ignore[no-untyped-def]
    """Bilinear value of channel ``k`` alone."""
    height, width, _ = maps.shape
    u = min(max(u, 0.0), width - 1.001)
    v = min(max(v, 0.0), height - 1.001)
    x, y = int(u), int(v)
    fx, fy = u - x, v - y
    upper = maps[y, x, k] * (1 - fx) + maps[y, x + 1, k] * fx
    lower = maps[y + 1, x, k] * (1 - fx) + maps[y + 1, x + 1, k] * fx
    return upper * (1 - fy) + lower * fy


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def light_on(nx, ny, nz, light, strength, slope, screen_x, open_sky, out):  # type: ignore[no-untyped-def]
    """Wrapped diffuse key with a slope across the frame, sky from above, a warm bounce from below."""
    facing = nx * light[0] + ny * light[1] + nz * light[2]
    wrapped = max(0.0, (facing + 0.18) / 1.18)
    key = strength * (1 + slope * screen_x) * wrapped * (0.45 + 0.55 * open_sky)
    sky = 0.5 - 0.5 * ny
    for k in range(3):
        out[k] = key * KEY_COLOUR[k] + open_sky * (AMBIENT[k] * (0.35 + 0.65 * sky) + BOUNCE[k] * (1 - sky))


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def shade_apron(depth, buf, maps, density, u0, v0, ink, light, strength, slope, with_mark, clean, covered):  # type: ignore[no-untyped-def]
    """Lay the lit cloth over both pictures.

    ``buf``: u, v, tangent u (3), tangent v (3), openness; ``maps``: albedo (3), height, inside, ink.
    Writes ``with_mark`` and ``clean`` where the cloth's outline is inside, and says where in ``covered``.
    """
    height, width = depth.shape
    texel = np.zeros(6, np.float32)
    lit = np.zeros(3, np.float32)
    for y in range(height):
        for x in range(width):
            if depth[y, x] > FAR:
                continue
            u, v = (buf[y, x, 0] - u0) * density, (buf[y, x, 1] - v0) * density
            if sample_one(maps, u, v, 4) <= 0:
                continue
            covered[y, x] = True
            sample_map(maps, u, v, texel)
            du = (sample_one(maps, u + 1, v, 3) - texel[3]) * density
            dv = (sample_one(maps, u, v + 1, 3) - texel[3]) * density
            # bump: tilt the tangents by the height's slope along the smooth normal
            ax, ay, az = buf[y, x, 2], buf[y, x, 3], buf[y, x, 4]
            bx, by, bz = buf[y, x, 5], buf[y, x, 6], buf[y, x, 7]
            nx, ny, nz = by * az - bz * ay, bz * ax - bx * az, bx * ay - by * ax
            size = 1 / np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx * size, ny * size, nz * size
            ax, ay, az = ax + du * nx, ay + du * ny, az + du * nz
            bx, by, bz = bx + dv * nx, by + dv * ny, bz + dv * nz
            nx, ny, nz = by * az - bz * ay, bz * ax - bx * az, bx * ay - by * ax
            size = 1 / np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx * size, ny * size, nz * size
            light_on(nx, ny, nz, light, strength, slope, (x - width / 2) / (width / 2), buf[y, x, 8], lit)
            sheen = 0.035 * strength * max(0.0, 1 + nz) ** 2
            for k in range(3):
                clean[y, x, k] = texel[k] * lit[k] + sheen
                albedo = texel[k] + (ink[k] - texel[k]) * texel[5]
                with_mark[y, x, k] = albedo * lit[k] + sheen


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def shade_shirt(depth, buf, knit, light, strength, slope, shadow, covered, out):  # type: ignore[no-untyped-def]
    """Lay the lit shirt over ``out``; ``buf``: flat x, flat y, normal (3), shade of the apron on it."""
    height, width = depth.shape
    lit = np.zeros(3, np.float32)
    grain = np.zeros(1, np.float32)
    for y in range(height):
        for x in range(width):
            if covered[y, x] or depth[y, x] > FAR:
                continue
            sample_map(knit, (buf[y, x, 0] * 14) % 1000, (buf[y, x, 1] * 14 + 500) % 1000, grain)
            size = 1 / np.sqrt(buf[y, x, 2] ** 2 + buf[y, x, 3] ** 2 + buf[y, x, 4] ** 2)
            light_on(
                buf[y, x, 2] * size, buf[y, x, 3] * size, buf[y, x, 4] * size,
                light, strength, slope, (x - width / 2) / (width / 2), 1 - shadow * buf[y, x, 5], lit,
            )  # fmt: skip
            tone = 1 + 0.055 * grain[0]
            out[y, x, 0] = 0.060 * tone * lit[0]
            out[y, x, 1] = 0.086 * tone * lit[1]
            out[y, x, 2] = 0.098 * tone * lit[2]


@njit(cache=True, nogil=True, fastmath=True)
def add_up(with_mark, clean, covered, marked_sum, clean_sum):  # type: ignore[no-untyped-def]
    """Add one instant to both sums; outside the cloth the two pictures are one."""
    height, width = covered.shape
    for y in range(height):
        for x in range(width):
            inside = covered[y, x]
            for k in range(3):
                marked_sum[y, x, k] += with_mark[y, x, k]
                clean_sum[y, x, k] += clean[y, x, k] if inside else with_mark[y, x, k]
