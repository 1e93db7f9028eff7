"""``hush propose``: one loop round a mark becomes a hold, a retouch and a recipe."""

import sys
from pathlib import Path
from typing import Any

import click

from hushcore.cli.files import write_json
from hushcore.errors import HushError

Place = click.Path(path_type=Path)
NONE_CLEAN = (
    "Nothing beside the mark is clean enough to heal from; the hold is written. Retouch a plate by hand "
    "(hush plate) and name it in a recipe."
)
NOT_BEHIND = (
    "This mark stands in the frame, and what lies behind it cannot be taken well enough from other frames by itself; the "
    "hold is written. Fill it from other frames with a plate as its rest, or retouch plates by hand."
)


@click.command()
@click.argument("clip", type=Place)
@click.option("--loop", "loop_file", type=Place, required=True, help="JSON: frame, and loop as a list of x, y.")
@click.option("--encoding", "space", help="Encoding, when it is not the file's: srgb, bt1886, pq, ... or ocio:NAME.")
@click.option(
    "-o", "--out", type=Place, required=True, help="Recipe file to write; hold and plate are written beside it."
)
def propose(clip: Path, loop_file: Path, space: str | None, out: Path) -> None:
    """Propose a whole fix from a loop round a mark: what to track, how, the mark's own edge, and a retouch."""
    from hushcore.colour.encoding import Encoding
    from hushcore.edge.matte import Edge
    from hushcore.hold.auto import chosen
    from hushcore.hold.in_frame import held_in_frame
    from hushcore.hold.mark import Mark
    from hushcore.hold.overlay import stands_still
    from hushcore.hold.through import track
    from hushcore.media.footage import open_footage
    from hushcore.media.pictures import write_codes
    from hushcore.media.scan import examine
    from hushcore.plates.propose import finished, first_retouch
    from hushcore.recipe import circle
    from hushcore.recipe.models import LoopData, MethodData, load
    from hushcore.tells.behind import OWN, WORDS, from_behind, from_itself

    data = load(loop_file, LoopData)
    found = open_footage(clip)
    found.check_range(data.frame, data.frame)
    encoding = Encoding(space or examine(clip).space, found.bits)
    encoding.check()
    height, width = found.read(data.frame).shape[:2]
    loop = circle.check_loop(data.loop, width, height)
    held = out.with_name(f"{out.stem}.hold.json")
    stands = stands_still(found.read, loop, data.frame, found.first, found.last)
    edge = Edge.of(loop, 0.0, circle.SOFT)
    if stands:
        still = held_in_frame(range(found.first, found.last + 1), data.frame, (width, height))
        bare = from_itself(still, found.read, edge, encoding)
        if bare is not None and bare.evidence.veil is not None:
            write_json(held, still.plain())
            write_json(out, circle.recipe_unveiled(loop, held.name))
            click.echo(f"Proposed: {OWN.format(round(100 * bare.evidence.veil.share))}.")
            return
    ground = circle.ground_of(loop, data.frame, width, height, stands).ground()
    surface, method, _ = chosen(found.read, ground, MethodData().method(), data.frame, found.first, found.last)
    click.echo(f"Held as {surface}: the plainest surface that fits.", err=True)
    hold: Any = None
    with click.progressbar(length=max(1, found.last - found.first), label="Tracking", file=sys.stderr) as bar:
        around = circle.wider_ground(loop, data.frame, width, height).ground()
        mark = None if stands else Mark(loop, around)
        for _, growing in track(found.read, ground, method, data.frame, found.first, found.last, mark):
            hold = growing
            bar.update(1)
    write_json(held, hold.plain())
    if stands:
        if not from_behind(hold, found.read, edge, encoding):
            raise HushError(NOT_BEHIND, "standing")
        write_json(out, circle.recipe_behind(loop, held.name))
        click.echo(f"Proposed: {WORDS}.")
        return
    made = first_retouch(hold, found.read, loop, encoding)
    if made is None:
        raise HushError(NONE_CLEAN, "no-donor")
    proposal, plate = made
    codes = found.read(data.frame)
    picture = out.with_name(f"{out.stem}.plate.{'exr' if codes.dtype.kind == 'f' else 'tif'}")
    write_codes(picture, finished(codes, plate, proposal.picture))
    write_json(out, circle.recipe_of(proposal, held.name, data.frame, picture.name))
    click.echo(f"Proposed: {proposal.words}.")
