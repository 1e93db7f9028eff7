"""``hush render`` and ``hush check``: finished frames with their proof, and reading a delivery back."""

import multiprocessing
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import Any

import click

from hushcore.errors import HushError

Place = click.Path(path_type=Path)
CHUNK = 8  # frames that a process of the renderer takes at a time
SHOWN_WIDE = 1280  # px of a preview
_shared: dict[str, Any] = {}


@click.command()
@click.argument("clip", type=Place)
@click.option("--recipe", "recipe_file", type=Place, required=True, help="Recipe file (hush schema recipe).")
@click.option("-o", "--out", "folder", type=Place, required=True, help="Folder for the frames and proof.json.")
@click.option("--range", "frames", help="First and last frame, as A-B.")
@click.option("--workers", type=click.IntRange(1, 64), default=1, show_default=True)
@click.option("--encoding", "space", help="Encoding, when it is not the file's: srgb, bt1886, pq, ... or ocio:NAME.")
@click.option(
    "--as", "form", default="source", show_default=True, help="Form of the frames (hush forms); none leaves them out."
)
@click.option(
    "--write-as",
    "target",
    default="own",
    show_default=True,
    help="Encoding that frames of another form are written in.",
)
@click.option(
    "--mattes",
    type=click.Choice(["each", "together", "channels"]),
    help="One a fix, all in one, or as channels of OpenEXR frames.",
)
@click.option("--patch", type=click.Choice(["straight", "premultiplied"]), help="The patch alone, with alpha.")
@click.option(
    "--layers-as", "layers", default="tiff16", show_default=True, help="Form of mattes and of the patch alone."
)
@click.option("--preview", is_flag=True, help="An H.264 movie of the finished frames.")
@click.option("--side-by-side", "side", is_flag=True, help="An H.264 movie of source and patched frames.")
@click.option("--name", default="", help="Name of the frames, such as {clip}_clean.####.")
@click.option(
    "--rate", "given_rate", help="Frames a second of numbered frames, as 25 or 24000/1001, when it is not the headers'."
)
def render(
    clip: Path, recipe_file: Path, folder: Path, frames: str | None, workers: int, space: str | None, form: str,
    target: str, mattes: str | None, patch: str | None, layers: str, preview: bool, side: bool, name: str,
    given_rate: str | None,
) -> None:  # fmt: skip
    """Patch every frame, write what is asked for, and prove that nothing outside the mattes changed."""
    from hushcore.cli.files import range_of
    from hushcore.colour.encoding import Encoding
    from hushcore.deliver import frames as delivery
    from hushcore.deliver import naming, report
    from hushcore.deliver.pieces import Piece, order
    from hushcore.media.footage import open_footage
    from hushcore.media.movies import Movie
    from hushcore.media.pictures import alone
    from hushcore.media.scan import examine
    from hushcore.patch.choose import words
    from hushcore.recipe.build import build_all
    from hushcore.recipe.models import Recipe, load

    if workers > 1:
        alone()
    found = open_footage(clip)
    numbers = found.check_range(*range_of(frames, found.first, found.last))
    delivery.check_place(found, folder)
    said = examine(clip)
    encoding = Encoding(space or said.space, found.bits)
    encoding.check()
    fixes = build_all(load(recipe_file, Recipe), recipe_file.parent, found.read, encoding)
    names = naming.distinct([data.name for data, _ in fixes])
    pieces = [] if form == "none" else [Piece("frames", form, target, mattes=mattes == "channels", name=name)]
    if mattes in ("each", "together"):
        pieces.append(Piece("mattes", layers, each=mattes == "each"))
    if patch:
        pieces.append(Piece("patch", layers, straight=patch == "straight"))
    pieces += [Piece(what, "h264") for what, wanted in (("preview", preview), ("side", side)) if wanted]  # type: ignore[arg-type]
    rate = found.rate if isinstance(found, Movie) else _rate(given_rate or said.rate)
    at = found.header.timecode if isinstance(found, Movie) else said.timecode
    ready = order(found, encoding, pieces, names, {"clip": found.name}, at, rate)
    delivery.check_room(ready, numbers, folder)
    _shared.update(ready=ready, fixes=list(zip(names, fixes, strict=True)), folder=folder, encoding=encoding)
    proofs = _run(numbers, workers)
    proof = report.summary(proofs, ready)
    proof["chosen"] = {data.name: words(fix.evidence.choice) for data, fix in fixes if fix.evidence.choice is not None}
    report.write(folder, proof, delivery.finish(ready, numbers, folder))
    click.echo(
        f"{proof['frames']} frames, {proof['changed_outside']} of {proof['values']} values changed outside the mattes."
    )


def _rate(text: str | None) -> Any:
    from fractions import Fraction

    try:
        rate = Fraction(text) if text else None
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    if rate is not None and not 0 < rate <= 1000:
        raise HushError(f"{text} is not a frame rate; write 25 or 24000/1001.", "bad-rate")
    return rate


def _shown(codes: Any) -> Any:
    """Codes as they are looked at without a look of a shot: 8 bits, in the usual look of their encoding."""
    import cv2
    import numpy as np

    from hushcore.colour.looks import baked, default_look

    encoding = _shared["encoding"]
    colour = np.repeat(codes[..., :1], 3, axis=2) if codes.shape[2] < 3 else codes[..., :3]
    if colour.shape[1] > SHOWN_WIDE:
        size = (SHOWN_WIDE, round(colour.shape[0] * SHOWN_WIDE / colour.shape[1]))
        colour = cv2.resize(colour, size, interpolation=cv2.INTER_AREA)
    return baked(default_look(encoding), encoding).show8(np.ascontiguousarray(colour))


def _some(frames: list[int]) -> Any:
    from hushcore.deliver.frames import deliver_chunk

    made: list[Any] = []

    def done(_: int, proofs: list[Any]) -> bool:
        made.extend(proofs)
        return True

    def fixes(frame: int) -> list[Any]:
        return [(name, fix) for name, (data, fix) in _shared["fixes"] if data.covers(frame)]

    try:
        deliver_chunk(_shared["ready"], frames, fixes, _shared["folder"], done, shown=_shown)
    except HushError as error:
        return error
    return made


def _in_processes(chunks: list[list[int]], workers: int) -> Iterator[Any]:
    import cv2

    cv2.setNumThreads(1)
    pool = ProcessPoolExecutor(workers, multiprocessing.get_context("fork"))
    try:
        for future in as_completed([pool.submit(_some, chunk) for chunk in chunks]):
            yield future.result()
    except BrokenProcessPool:
        raise HushError("A rendering process was ended from outside. Too little memory? Try fewer --workers.") from None
    finally:
        pool.shutdown(cancel_futures=True)


def _run(numbers: list[int], workers: int) -> list[Any]:
    done: list[Any] = []
    workers = min(workers, len(numbers))
    chunks = [numbers[k : k + CHUNK] for k in range(0, len(numbers), CHUNK)]
    with click.progressbar(length=len(numbers), label="Rendering", file=sys.stderr) as bar:
        for result in _in_processes(chunks, workers) if workers > 1 else map(_some, chunks):
            if isinstance(result, HushError):
                raise result
            done += result
            bar.update(len({proof.frame for proof in result}))
    return done


@click.command()
@click.argument("folder", type=Place)
def check(folder: Path) -> None:
    """Read a delivery back and say whether it still holds."""
    from hushcore.deliver import report

    click.echo(report.check(folder))


@click.command()
def forms() -> None:
    """List the forms that frames can be delivered in."""
    from hushcore.deliver.forms import FORMS

    click.echo("source       As the source")
    for form in FORMS.values():
        click.echo(f"{form.key:12} {form.words}")
