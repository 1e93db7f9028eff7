"""Every demo shot delivered in every form, with mattes and the patch alone, and read back: what became of the values."""

import shutil
import tempfile
from fractions import Fraction
from pathlib import Path

from bench.service import fix_of
from demo.load import SHOTS
from hushcore.colour.encoding import Encoding
from hushcore.deliver import report
from hushcore.deliver.forms import FORMS
from hushcore.deliver.frames import deliver_chunk, finish
from hushcore.deliver.pieces import Piece, order
from hushcore.deliver.proof import FrameProof
from hushcore.errors import HushError
from hushcore.media.footage import open_footage
from hushcore.media.scan import examine

COUNT = 3  # frames of each


def forms(var: Path) -> None:
    """Print a row a shot and form."""
    print(
        "\n| shot | form | values | outside the mattes | coded: worst, codes | read back |\n|---|---|---|---|---|---|"
    )
    for name, place, rate, _, more in SHOTS:
        where = var / "media" / place
        clip = open_footage(where, int(str(more.get("first", 0))), Fraction(*rate))
        encoding = Encoding(str(more.get("space", examine(where).space)), clip.bits)
        fix = fix_of(clip, encoding)
        frames = list(clip.frames)[:COUNT]
        for key in ("source", *(key for key in FORMS if key != "h264")):
            pieces = [Piece("frames", key), Piece("mattes", "png16"), Piece("patch", "exr-half")]
            folder = Path(tempfile.mkdtemp(dir=var))
            proofs: list[FrameProof] = []

            def done(_: int, found: list[FrameProof], proofs: list[FrameProof] = proofs) -> bool:
                proofs.extend(found)
                return True

            try:
                ready = order(clip, encoding, pieces, ["mark"], {"clip": clip.name}, "", Fraction(*rate))
            except HushError:  # floats are not cut off by themselves: an encoding is named
                pieces[0] = Piece("frames", key, "srgb")
                ready = order(clip, encoding, pieces, ["mark"], {"clip": clip.name}, "", Fraction(*rate))
            deliver_chunk(ready, frames, lambda _, fix=fix: [("mark", fix)], folder, done)
            proof = report.summary(proofs, ready)
            report.write(folder, proof, finish(ready, frames, folder))
            said = report.check(folder).split(": ")[0].split(" ")[-1]
            coded = proof["coded"]["worst"] if proof["coded"] else ""
            print(
                f"| {name} | {key} | {ready.said()[0]['values']} | {proof['changed_outside']} | {coded} | {said} |",
                flush=True,
            )
            shutil.rmtree(folder)
