"""The patch taken apart, names, what is taken over from an earlier delivery, and reading a delivery back."""

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest

from hushcore.colour.encoding import Encoding
from hushcore.deliver import naming, report
from hushcore.deliver.forms import Values, form_of
from hushcore.deliver.frames import check_free, deliver_chunk, finish
from hushcore.deliver.layers import alone, finished
from hushcore.deliver.pieces import Piece
from hushcore.deliver.reuse import Known
from hushcore.errors import HushError
from hushcore.media.movies import open_movie
from hushcore.media.pictures import read_codes
from tests.hushcore.deliveries import clip_of, delivered, fix_on, ordered

SRGB16 = Encoding("srgb", 16)


@pytest.fixture(scope="module")
def pot(tmp_path_factory):
    """A clip with two fixes that lie on each other."""
    clip = clip_of(tmp_path_factory.mktemp("pot"))
    return clip, [("mark", fix_on(clip, SRGB16)), ("rim", fix_on(clip, SRGB16, (88.0, 66.0), 13.0))]


@pytest.mark.parametrize("form", ["exr-float", "tiff16"])
@pytest.mark.parametrize("straight", [True, False])
def test_the_patch_alone_laid_over_the_source_is_the_patched_frame(pot, form, straight):
    """Porter & Duff 1984, over; in scene-linear light, as the proof says."""
    clip, fixes = pot
    done = finished(clip.read(1003), 1003, fixes)
    values = Values(SRGB16, form_of(form), "linear" if form == "exr-float" else "own")
    patch = alone(done, values, straight)
    top = 1 if form == "exr-float" else 65535
    alpha = patch[..., 3:] / top
    colour = patch[..., :3].astype(float)
    if not straight and form == "tiff16":  # premultiplied as coded: divided as coded (common practice)
        colour = np.where(alpha > 0, colour / np.maximum(alpha, 1e-9), 0)
    linear = colour if form == "exr-float" else SRGB16.decode(np.rint(np.clip(colour, 0, 65535)).astype(np.uint16))
    under, wanted = SRGB16.decode(done.source), SRGB16.decode(done.codes)
    laid = (
        linear + (1 - alpha) * under if form == "exr-float" and not straight else alpha * linear + (1 - alpha) * under
    )
    assert np.abs(laid - wanted).max() < (2e-5 if form == "exr-float" else 1.2e-3)
    assert (patch[0, 0] == 0).all()


def test_mattes_together_cover_what_each_covers(pot):
    clip, fixes = pot
    done = finished(clip.read(1002), 1002, fixes)
    one, two = done.matte("mark"), done.matte("rim")
    assert np.abs(done.together - (1 - (1 - one) * (1 - two))).max() < 1e-6
    assert done.matte("nothing").max() == 0


@pytest.mark.parametrize(
    ("pattern", "words"),
    [
        ("../{clip}.####", "does not stay inside"), ("/tmp/x.####", "does not stay inside"), ("{clip}", "same name"),
        ("{artist}.####", "no part"), (".hidden.####", "does not stay inside"), ("a b.####", "everywhere"),
        ("{clip}.####/", "does not stay inside"),
    ],
)  # fmt: skip
def test_a_name_that_climbs_out_or_collides_is_refused(pattern, words):
    with pytest.raises(HushError, match=words):
        naming.check(pattern, True)


def test_names_are_made_of_their_parts(pot):
    clip, _ = pot
    ready = ordered(
        clip, Piece("frames", name="{shot}/{clip}_clean.######"), Piece("mattes", "png16", name="{fix}_m.####")
    )
    assert ready.file(ready.pieces[0], 1002) == "010-pot/pot_clean.001002.tif"
    assert ready.file(ready.pieces[1], 1002, "mark") == "mark_m.1002.png"
    with pytest.raises(HushError, match="both be written as"):
        ordered(clip, Piece("frames", "tiff16"), Piece("patch", "tiff16", name="{clip}.####"))
    with pytest.raises(HushError, match="both be written as"):
        ordered(clip, Piece("mattes", "tiff16", name="matte.####"), fixes=("one", "two"))


def again_from(folder: Path, proofs, only=None):
    def again(piece: int, frame: int):
        found = tuple(p for p in proofs if (p.piece, p.frame) == (piece, frame))
        return Known(folder, found, 1001) if found and (only is None or frame in only) else None

    return again


@pytest.mark.parametrize("form", ["source", "ffv1"])
def test_what_has_not_changed_is_taken_over_and_proved_again(pot, tmp_path, form):
    clip, fixes = pot
    ready = ordered(clip, Piece("frames", form))
    first = delivered(ready, tmp_path / "a", fixes)

    def never(frame):
        raise AssertionError(f"frame {frame} was laid again")

    found = []
    deliver_chunk(
        ready, list(clip.frames), never, tmp_path / "b", lambda _, proofs: not found.extend(proofs),
        again_from(tmp_path / "a", first),
    )  # fmt: skip
    finish(ready, list(clip.frames), tmp_path / "b")
    assert found == first
    part = []
    deliver_chunk(
        ready, [1004, 1005], never, tmp_path / "c", lambda _, proofs: not part.extend(proofs),
        again_from(tmp_path / "a", first),
    )  # fmt: skip
    assert part == [proof for proof in first if proof.frame in (1004, 1005)]
    if form == "ffv1":
        assert (open_movie(tmp_path / "b" / "pot.mkv").read(3) == open_movie(tmp_path / "a" / "pot.mkv").read(3)).all()
    else:
        assert (tmp_path / "b" / "pot.1003.tif").read_bytes() == (tmp_path / "a" / "pot.1003.tif").read_bytes()


def test_what_was_touched_since_is_made_anew(pot, tmp_path):
    clip, fixes = pot
    ready = ordered(clip, Piece())
    first = delivered(ready, tmp_path / "a", fixes)
    spoilt = tmp_path / "a" / "pot.1002.tif"
    spoilt.write_bytes(spoilt.read_bytes()[:-7] + b"changed")
    made = delivered(ready, tmp_path / "b", fixes, again=again_from(tmp_path / "a", first))
    assert made == first
    assert not list((tmp_path / "b").glob(".*"))


@pytest.fixture
def written(pot, tmp_path):
    """A delivery of several pieces with its proof."""
    clip, fixes = pot
    ready = ordered(
        clip,
        Piece(),
        Piece("mattes", "png16"),
        Piece("patch", "exr-half"),
        Piece("frames", "ffv1"),
        fixes=("mark", "rim"),
    )
    proofs = delivered(ready, tmp_path / "out", fixes)
    movies = [tmp_path / "out" / "pot.mkv"]
    report.write(tmp_path / "out", report.summary(proofs, ready), movies)
    return tmp_path / "out"


def test_sha256sum_reads_our_list_and_a_delivery_holds(written):
    done = subprocess.run(["sha256sum", "-c", "--quiet", "SHA256SUMS"], cwd=written, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout
    assert len((written / "SHA256SUMS").read_text().splitlines()) == 6 + 12 + 6 + 1 + 1
    assert report.check(written).endswith(
        f"0 of {json.loads((written / 'proof.json').read_text())['values']} values changed outside the mattes."
    )
    proof = json.loads((written / "proof.json").read_text())
    assert proof["version"] == 2
    assert {"python", "numpy", "openimageio", "av"} <= set(proof["made_with"])
    assert [piece["what"] for piece in proof["pieces"]] == ["frames", "mattes", "patch", "frames"]
    assert "straight" in proof["pieces"][2]["alpha"]


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda folder: (folder / "pot.1004.tif").unlink(), "pot.1004.tif is gone"),
        (lambda folder: (folder / "mattes" / "rim.1001.png").write_bytes(b"x"), "mattes/rim.1001.png has been changed"),
        (lambda folder: (folder / "pot.mkv").write_bytes(b"x" * 900), "pot.mkv cannot be decoded"),
        (lambda folder: (folder / "proof.json").write_text("{"), "cannot be read"),
        (lambda folder: (folder / "proof.json").unlink(), "holds no proof.json"),
    ],
)  # fmt: skip
def test_a_delivery_that_does_not_hold_says_where(written, spoil, words):
    spoil(written)
    with pytest.raises(HushError, match=words):
        report.check(written)


def test_a_disk_that_fills_up_is_left_alone_in_time(tmp_path, monkeypatch):
    import shutil

    monkeypatch.setattr(shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(1000, 985, 15))
    with pytest.raises(HushError, match="under 2 %"):
        check_free(tmp_path)


def test_a_disk_that_fails_in_the_middle_of_a_movie_leaves_nothing_half(pot, tmp_path, monkeypatch):
    from hushcore.media import recording

    clip, fixes = pot
    ready = ordered(clip, Piece("frames", "ffv1"))
    real, calls = recording._frame, []

    def full(planes, how):
        calls.append(1)
        if len(calls) == 5:
            raise OSError(28, "No space left on device")
        return real(planes, how)

    monkeypatch.setattr(recording, "_frame", full)
    with pytest.raises(HushError, match="disk may be full"):
        delivered(ready, tmp_path, fixes)
    assert len(list(tmp_path.glob(".*"))) == 1  # the chunk before it
    monkeypatch.setattr(recording, "_frame", real)
    assert len(delivered(ready, tmp_path, fixes)) == 6
    assert (open_movie(tmp_path / "pot.mkv").header.count, list(tmp_path.glob(".*"))) == (6, [])


def test_a_wrong_plate_on_the_disk_is_taken_away_again(pot, tmp_path, monkeypatch):
    from hushcore.deliver import pictures

    clip, fixes = pot
    real = pictures.read_codes

    def wrong(path):
        codes = real(path)
        codes[0, 0] ^= 1
        return codes

    monkeypatch.setattr(pictures, "read_codes", wrong)
    with pytest.raises(HushError, match="3 values differ outside the matte"):
        delivered(ordered(clip, Piece()), tmp_path, fixes)
    assert list(tmp_path.iterdir()) == []
    assert read_codes(clip.path(1001)).shape == (120, 160, 3)
