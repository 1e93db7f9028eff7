"""A surface that turns away: laid up to its silhouette, and only what faces the camera is read.

Known truth: a cylinder of radius R that turns by an angle t takes a place x of its front (from the axis) to
R sin(asin(x / R) + t): elementary geometry. Its area shrinks with the cosine, and is nothing at the silhouette.
"""

import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.geometry.spline import Grid, fitted
from hushcore.hold.maps import MeshMap, PlanarMap, dense_inverse, facing, sheet_inverse
from hushcore.patch.place import on_surface, outside_of

RADIUS, AXIS = 150.0, 200.0
TURN = 0.9  # radians: from 55 degrees off the middle on, the surface has turned away


def turned(points: np.ndarray) -> np.ndarray:
    """Where the cylinder's places go; beyond its own silhouette it goes on smoothly behind."""
    angle = np.arcsin(np.clip((points[..., 0] - AXIS) / RADIUS, -0.999, 0.999)) + TURN
    return np.stack([AXIS + RADIUS * np.sin(angle), points[..., 1]], -1)


@pytest.fixture(scope="module")
def held() -> MeshMap:
    grid = Grid.over(Rect(120, 100, 320, 260), 16.0)
    return MeshMap(grid, fitted(grid, turned))


SILHOUETTE = AXIS + RADIUS * np.sin(np.pi / 2 - TURN)  # the still place that lies on the rim
RIM = AXIS + RADIUS  # where it lies in the frame


def test_how_square_on_a_place_is_seen_follows_the_cosine(held):
    slant = facing(held, Rect(140, 120, 300, 240))
    x = np.arange(140, 300)
    angle = np.arcsin((x - AXIS) / RADIUS)
    narrow = np.cos(angle + TURN) / np.cos(angle)  # across; along the axis nothing changes
    expected = np.where(narrow > 1, 1 / narrow, narrow)
    assert np.abs(slant[60] - expected)[5:-5].max() < 0.05
    assert (slant[60][x > SILHOUETTE + 6] < 0).all()  # turned away


@pytest.mark.parametrize("scale", [0.2, 3.0])
def test_coming_nearer_or_going_away_is_no_turning_away(held, scale):
    """By area alone, a surface a fifth as large would have been taken for one that is seen from the side."""
    nearer = MeshMap(held.grid, fitted(held.grid, lambda points: 50 + scale * (points - 100)))
    rect = Rect(140, 110, 310, 250)
    assert facing(nearer, rect) == pytest.approx(1, abs=1e-3)
    matte = np.zeros((140, 170), np.float32)
    matte[40:100, 60:120] = 1
    spot = on_surface(nearer, rect, matte, outside_of(matte), (900, 700))
    assert spot.cover.max() == pytest.approx(1, abs=1e-3)
    assert spot.cover.sum() == pytest.approx(scale**2 * 60 * 60, rel=0.1)


def test_a_plane_turns_as_a_whole():
    assert facing(PlanarMap(np.eye(3)), Rect(0, 0, 20, 20)) is None


def test_every_pixel_up_to_the_rim_finds_the_side_that_faces_the_camera(held):
    target, rect = Rect(275, 140, 370, 220), Rect(140, 110, 310, 250)
    x, y, seen = sheet_inverse(held, target, rect)
    px = np.arange(275, 370)
    row = 40
    on = px < RIM - 2
    exact = AXIS + RADIUS * np.sin(np.arcsin((px[on] - AXIS) / RADIUS) - TURN)
    assert seen[row][on].all()
    assert not seen[row][px > RIM + 1].any()
    assert np.abs(x[row][on] - exact)[px[on] < RIM - 8].max() < 0.1
    assert np.abs(y[row][on] - (140 + row)).max() < 0.1


def test_a_patch_ends_at_the_silhouette_without_spikes_beyond_it(held):
    """Inverting on a coarse grid threw shreds of the patch about where the map is steep."""
    rect = Rect(140, 110, 310, 250)
    matte = np.zeros((140, 170), np.float32)
    matte[40:100, 60:140] = 1  # still 200 to 280: the rim lies at 293 - it reaches over the silhouette
    spot = on_surface(held, rect, matte, outside_of(matte), (420, 360))
    laid = np.zeros((360, 420), np.float32)
    laid[spot.target.slices] = spot.cover
    assert laid[:, int(RIM) + 2 :].max() < 0.01  # nothing on what lies behind
    first = AXIS + RADIUS * np.sin(np.arcsin((200 - AXIS) / RADIUS) + TURN)
    middle = laid[180, int(first) + 2 : int(RIM) - 6]
    assert middle.min() > 0.9  # and no hole before it
    assert laid[: 110 + 40 - 2].max() < 0.01
    assert laid[110 + 100 + 2 :].max() < 0.01


@pytest.mark.parametrize("way", ["the mark", "a picture"])
def test_a_mark_that_faces_the_camera_is_whole_beside_a_silhouette(held, way):
    """Round about it, where nothing of the surface lies, a coarse grid found no places, and that tore the mark itself."""
    rect = Rect(140, 110, 310, 250)
    matte = np.zeros((140, 170), np.float32)
    matte[40:100, 55:104] = 1  # still 195 to 244, where it is seen by more than a third
    spot = on_surface(held, rect, matte, outside_of(matte), (420, 360))
    assert spot.slant[matte > 0].min() > 0.33
    px = np.arange(spot.target.left, spot.target.right)
    on = px < RIM - 4
    exact = AXIS + RADIUS * np.sin(np.arcsin((px[on] - AXIS) / RADIUS) - TURN)
    if way == "the mark":
        inside = (exact > 197) & (exact < 241)
        assert spot.cover[8:-8][:, on][:, inside].min() > 0.99
        assert np.abs(spot.map_x[30][on][inside] - (exact[inside] - rect.left)).max() < 0.2
    else:
        x, _ = dense_inverse(held, spot.target.grown(20).clipped(420, 360))
        assert np.abs(x[40][20:][: on.sum()] - exact)[:-4].max() < 0.2


def test_what_the_artist_leaves_out_stays_out_where_the_surface_bends_away(held):
    """A crease of the map is laid over; a narrow gap that was drawn in the matte is none."""
    rect = Rect(140, 110, 310, 250)
    matte = np.zeros((140, 170), np.float32)
    matte[20:130, 20:150] = 1
    matte[70:75] = 0
    spot = on_surface(held, rect, matte, outside_of(matte), (420, 360))
    laid = np.zeros((360, 420), np.float32)
    laid[spot.target.slices] = spot.cover
    assert laid[110 + 72, 300:340].max() < 0.01
    assert laid[110 + 60, 300:340].min() > 0.9


def test_a_surface_that_faces_the_camera_is_laid_as_before(held):
    flat = MeshMap(held.grid, np.zeros_like(held.coefficients) + 3.0)
    rect = Rect(140, 110, 310, 250)
    matte = np.zeros((140, 170), np.float32)
    matte[40:100, 60:120] = 1
    spot = on_surface(flat, rect, matte, outside_of(matte), (420, 360))
    laid = np.zeros((360, 420), np.float32)
    laid[spot.target.slices] = spot.cover
    assert laid[154:212, 204:262].min() > 0.99
    assert laid.sum() == pytest.approx(60 * 60, rel=0.02)
