"""Python's geometry against the reference file that the web side's geometry is tested against too."""

import json
from pathlib import Path

import numpy as np
import pytest

from hushcore.geometry import homography, paths, spline
from hushcore.hold.maps import MeshMap, PlanarMap
from hushcore.hold.still import Passing

REFERENCE = json.loads((Path(__file__).resolve().parents[2] / "web" / "src" / "tests" / "reference.json").read_text())


@pytest.mark.parametrize("case", REFERENCE["maps"], ids=lambda case: case["name"])
def test_maps(case):
    if case["grid"] is None:
        held = PlanarMap(np.reshape(case["params"], (3, 3)))
    else:
        grid = spline.Grid(**case["grid"])
        held = MeshMap(grid, np.reshape(case["params"], (*grid.shape, 2)))
    points = np.array(case["still"])
    np.testing.assert_allclose(held.forward(points), case["frame"], atol=1e-4)
    np.testing.assert_allclose(held.inverse(np.array(case["frame"])), points, atol=2e-2)


def test_path():
    case = REFERENCE["path"]
    nodes = case["nodes"]
    polygon = paths.flatten(
        np.array([[n["x"], n["y"]] for n in nodes]),
        np.array([[n["into"]["x"], n["into"]["y"]] for n in nodes]),
        np.array([[n["out"]["x"], n["out"]["y"]] for n in nodes]),
        0.001,
    )
    assert paths.area(polygon) == pytest.approx(case["area"], rel=1e-3)


def test_homography_of_the_reference_is_what_a_fit_gives():
    case = next(case for case in REFERENCE["maps"] if case["grid"] is None)
    fitted = homography.fit(np.array(case["still"]), np.array(case["frame"]))
    np.testing.assert_allclose(fitted.ravel(), case["params"], atol=1e-6)


def test_keyed_shapes():
    case = REFERENCE["keyed"]
    shape = Passing(tuple((key["frame"], np.array(key["polygon"], float)) for key in case["keys"]))
    for frame, box in case["boxes"].items():
        polygon = shape.at(int(frame))
        np.testing.assert_allclose([*polygon.min(0), *polygon.max(0)], box, atol=0.01)
    assert [shape.at(frame) for frame in case["absent"]] == [None, None]
