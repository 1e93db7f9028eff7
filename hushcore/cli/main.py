"""``hush``: look at a clip, track, follow points, take a plate, render with proof, check a delivery, print schemas.

Exit codes: 0 done, 1 something the artist can put right (one line on standard error), 2 a wrong command line.
"""

import csv
import json
import os
import sys
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # before NumPy is there: small products, several processes

import click
import numpy as np

from hushcore.cli.files import range_of, write_json, write_text
from hushcore.cli.propose import propose
from hushcore.cli.render import check, forms, render
from hushcore.errors import HushError

Place = click.Path(path_type=Path)


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
def cli() -> None:
    """Take marks out of footage, and leave every other pixel alone."""


@cli.command()
@click.argument("clip", type=Place)
def info(clip: Path) -> None:
    """Say what a clip is. CLIP: a movie, a folder, or a pattern such as apron.####.tif."""
    from dataclasses import asdict

    from hushcore.media.scan import examine

    found = asdict(examine(clip))
    header = found.pop("header")
    if header:
        found["even"] = header["even"]
    click.echo(json.dumps(found, indent=1))


@cli.command()
@click.argument("clip", type=Place)
@click.option("--ground", "ground_file", type=Place, required=True, help="Ground file (hush schema ground).")
@click.option(
    "--kind", type=click.Choice(["auto", "point", "two-point", "planar", "mesh"]),
    help="Kind of hold; else the plainest that fits.",
)  # fmt: skip
@click.option("--method", "method_file", type=Place, help="Method file (hush schema method) with all settings.")
@click.option("--second-pass", "twice", is_flag=True, help="Measure once more against a cleaner template.")
@click.option("--range", "frames", help="First and last frame, as A-B.")
@click.option("-o", "--out", type=Place, required=True, help="Hold file to write.")
def track(
    clip: Path,
    ground_file: Path,
    kind: str | None,
    method_file: Path | None,
    twice: bool,
    frames: str | None,
    out: Path,
) -> None:
    """Measure how a ground moves, from its anchor frame both ways."""
    from hushcore.hold.report import held_otherwise, report
    from hushcore.hold.second import SecondPass
    from hushcore.hold.through import track as follow_both
    from hushcore.media.footage import open_footage
    from hushcore.recipe.models import GroundData, MethodData, load

    data = load(ground_file, GroundData)
    found = open_footage(clip)
    first, last = range_of(frames, found.first, found.last)
    numbers = found.check_range(first, last)
    settings = load(method_file, MethodData) if method_file else MethodData()
    method = settings.model_copy(update={"kind": kind} if kind else {}).method()
    if method.kind == "auto":
        from hushcore.hold.auto import chosen

        surface, method, _ = chosen(found.read, data.ground(), method, data.anchor, first, last)
        click.echo(f"Held as {surface}: the plainest surface that fits.", err=True)
    hold = None
    with click.progressbar(length=max(1, len(numbers) - 1), label="Tracking", file=sys.stderr) as bar:
        for _, growing in follow_both(found.read, data.ground(), method, data.anchor, first, last):
            hold = growing
            bar.update(1)
    assert hold is not None
    if twice:
        hold.frames.update(SecondPass(hold, data.ground(), method, found.read).run())
    write_json(out, hold.plain())
    for otherwise in held_otherwise({n: frame.how for n, frame in hold.frames.items()}):
        click.echo(otherwise.words, err=True)
    for weak in report(hold):
        click.echo(weak.words, err=True)


@cli.command()
@click.argument("hold_file", type=Place)
@click.option("--points", type=Place, required=True, help="CSV with columns id,x,y in the anchor frame.")
@click.option("-o", "--out", type=Place, required=True, help="CSV to write: frame,id,x,y,confidence.")
def follow(hold_file: Path, points: Path, out: Path) -> None:
    """Carry points through a hold. Confidence is 1 / (1 + drift in px), 0 on a lost frame."""
    from hushcore.hold.tracks import points_csv
    from hushcore.recipe.build import load_hold

    hold = load_hold(hold_file)
    names, at = _read_points(points)
    write_text(out, points_csv(hold, names, at))


@cli.command()
@click.argument("hold_file", type=Place)
@click.option("-o", "--out", type=Place, required=True, help="JSON to write: a 3 x 3 matrix a frame.")
def matrices(hold_file: Path, out: Path) -> None:
    """Write a hold as one 3 x 3 matrix a frame; of a mesh, the plane nearest to it."""
    from hushcore.arrays import Rect
    from hushcore.hold.tracks import matrices_json
    from hushcore.recipe.build import load_hold

    hold = load_hold(hold_file)
    whole = hold.grid.rect if hold.grid else Rect(0, 0, *hold.size)
    write_text(out, matrices_json(hold, whole.corners))


@cli.command("import")
@click.argument("track_file", type=Place)
@click.option("--clip", type=Place, required=True, help="The clip that the track belongs to.")
@click.option("--anchor", type=int, required=True, help="Frame that is held still.")
@click.option("--point", "name", help="Which point, when the file has several.")
@click.option("-o", "--out", type=Place, required=True, help="Hold file to write.")
def bring_in(track_file: Path, clip: Path, anchor: int, name: str | None, out: Path) -> None:
    """Make a point hold of a CSV track with the columns frame, x, y (and id)."""
    from hushcore.hold.tracks import point_hold, read_points
    from hushcore.media.footage import open_footage

    try:
        tracks = read_points(track_file.read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise HushError(f"{track_file.name} could not be read as text.", "no-file") from error
    found = open_footage(clip)
    name = name or next(iter(tracks))
    if name not in tracks:
        raise HushError(f"The track has no point {name!r}; it has {', '.join(tracks)}.", "bad-track")
    codes = found.read(anchor)
    size = (codes.shape[1], codes.shape[0])
    write_json(out, point_hold(tracks[name], anchor, size, found.first, found.last).plain())


def _read_points(path: Path) -> tuple[list[str], np.ndarray]:
    try:
        with path.open(newline="") as lines:
            table = list(csv.DictReader(lines))
        return [row["id"] for row in table], np.array([[float(row["x"]), float(row["y"])] for row in table])
    except FileNotFoundError as error:
        raise HushError(f"There is no file {path.name}.", "no-file") from error
    except (KeyError, TypeError, ValueError) as error:
        raise HushError(f"{path.name} needs the columns id,x,y with numbers for x and y.", "bad-points") from error


@cli.command()
@click.argument("clip", type=Place)
@click.option("--frame", type=int, required=True)
@click.option("-o", "--out", type=Place, required=True, help="Picture to write (.tif or .png).")
def plate(clip: Path, frame: int, out: Path) -> None:
    """Take a frame out to retouch in any image editor."""
    from hushcore.media.clips import Clip
    from hushcore.media.footage import open_footage
    from hushcore.media.pictures import write_codes, write_like

    found = open_footage(clip)
    if isinstance(found, Clip) and out.suffix.lower() == found.suffix.lower():
        write_like(found.path(frame), out, found.read(frame))
    else:
        write_codes(out, found.read(frame))


@cli.command()
@click.argument("clip", type=Place)
@click.option("--recipe", "recipe_file", type=Place, required=True, help="Recipe file (hush schema recipe).")
@click.option("-o", "--out", type=Place, required=True, help="Recipe file to write, with what was chosen in it.")
@click.option("--encoding", "space", help="Encoding, when it is not the file's: srgb, bt1886, pq, ... or ocio:NAME.")
def choose(clip: Path, recipe_file: Path, out: Path, space: str | None) -> None:
    """Say how each fix's light is read on this shot and why, and keep it in the recipe."""
    from hushcore.colour.encoding import Encoding
    from hushcore.media.footage import open_footage
    from hushcore.media.scan import examine
    from hushcore.patch.choose import words
    from hushcore.recipe.build import build_all
    from hushcore.recipe.models import ChosenData, Recipe, load

    found, recipe = open_footage(clip), load(recipe_file, Recipe)
    encoding = Encoding(space or examine(clip).space, found.bits)
    encoding.check()
    for data, fix in build_all(recipe, recipe_file.parent, found.read, encoding):
        choice = fix.evidence.choice
        data.match.chosen = None if choice is None else ChosenData.model_validate(choice.plain())
        click.echo(
            f"{data.name}: {words(choice) if choice else 'nothing to choose from; light is read from under the mark.'}"
        )
    write_json(out, recipe.model_dump(mode="json"))


@cli.command()
@click.argument("name")
def schema(name: str) -> None:
    """Print the JSON Schema of a file: ground, method, recipe, hold or loop."""
    from hushcore.recipe.models import SCHEMAS

    if name not in SCHEMAS:
        raise HushError(f"There is no schema {name!r}; ask for {', '.join(sorted(SCHEMAS))}.", "no-schema")
    click.echo(json.dumps(SCHEMAS[name].model_json_schema(), indent=1))


for command in (propose, render, check, forms):
    cli.add_command(command)


def main() -> None:
    """Entry point: an expected failure is one line and exit code 1."""
    try:
        cli.main(standalone_mode=False)
    except HushError as error:
        click.echo(f"hush: {error.message}", err=True)
        sys.exit(1)
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except (click.Abort, KeyboardInterrupt):
        click.echo("hush: stopped.", err=True)
        sys.exit(130)
