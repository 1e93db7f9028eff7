"""Every source from a recipe alone, as the command line renders it."""

import json
import subprocess
from pathlib import Path

import numpy as np

from hushcore.media.pictures import read_codes, write_codes
from hushcore.recipe.models import Recipe, StrokeData, check
from tests.hushcore.walls import (
    COUNT,
    recipe,
    shift,
    walker,
    walker_box,
)


def test_every_source_is_rendered_from_a_recipe_alone(tmp_path, scratched, passed, held):
    """The command line: clip, recipe, holds beside it; nothing else."""
    hush = Path(__file__).resolve().parents[2] / ".venv" / "bin" / "hush"
    clip = tmp_path / "wall"
    clip.mkdir()
    for frame in range(COUNT):
        write_codes(clip / f"wall.{frame:04d}.tif", scratched.read(frame))
    (tmp_path / "hold.json").write_text(json.dumps(held.plain()))
    stroke = StrokeData(kind="heal", points=[(180, 123, 1)], radius=9, donor={"offset": (34, 30)}).model_dump(
        mode="json"
    )
    box = [{"frame": n, "nodes": [{"x": x, "y": y} for x, y in walker_box(n)]} for n in range(0, COUNT, 2)]
    fixes = [
        recipe((100, 60), 14, name="soak", source="fill", fill={"kind": "soak"}),
        recipe((280, 60), 14, name="weave", source="fill", fill={"kind": "weave", "patch": 9}),
        recipe((180, 123), 14, name="retrace", source="retrace", strokes=[stroke]),
        recipe((110, 180), 20, name="soften", source="soften", soften={"amount": 1.0}),
        {**recipe(name="behind", source="fill", fill={"kind": "other frames"}, stands=True), "edge": {"keys": box}},
    ]
    made = check({"fixes": fixes}, Recipe, "The recipe")
    (tmp_path / "recipe.json").write_text(json.dumps(made.model_dump(mode="json")))
    done = subprocess.run(
        [hush, "render", clip, "--recipe", tmp_path / "recipe.json", "-o", tmp_path / "out", "--range", "4-5"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    proof = json.loads((tmp_path / "out" / "proof.json").read_text())
    assert (proof["frames"], proof["changed_outside"]) == (2, 0)
    changed = (read_codes(next((tmp_path / "out").glob("*0005.tif"))) != read_codes(clip / "wall.0005.tif")).any(-1)
    for x, y in ((100, 60), (280, 60), (180, 123), (110, 180), np.array(walker(5)) - shift(5)):
        col, row = np.rint(np.array([x, y]) + shift(5)).astype(int)
        assert changed[row - 5 : row + 6, col - 5 : col + 6].mean() > 0.5, (x, y)
