"""Deliveries in every form, read back by libraries that are not ours to trust: OpenImageIO, tifffile, OpenEXR, PyAV."""

from fractions import Fraction

import av
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
import tifffile

from hushcore.colour.encoding import Encoding
from hushcore.deliver.forms import FORMS, Values, form_of
from hushcore.deliver.frames import deliver_chunk, finish
from hushcore.deliver.pieces import Piece
from hushcore.errors import HushError
from hushcore.media import timecode, yuv
from hushcore.media.clips import open_clip
from hushcore.media.movies import open_movie
from tests.hushcore import deliveries
from tests.hushcore.deliveries import clip_of, delivered, fix_on, ordered
from tests.hushcore.movies import write_movie

PICTURES = [key for key, form in FORMS.items() if form.kind == "pictures"]


def read(path) -> np.ndarray:
    """A picture by OpenImageIO alone, as 0..1 or as its floats."""
    made = oiio.ImageBuf(str(path))
    return np.asarray(made.get_pixels(oiio.FLOAT))


@pytest.fixture(scope="module")
def sixteen(tmp_path_factory):
    """A 16-bit clip and its fix."""
    clip = clip_of(tmp_path_factory.mktemp("pot"))
    return clip, fix_on(clip, Encoding("srgb", 16))


@pytest.mark.parametrize("key", PICTURES)
def test_outside_the_matte_each_form_holds_the_source_s_own_values(sixteen, tmp_path, key):
    clip, fix = sixteen
    proofs = delivered(ordered(clip, Piece("frames", key)), tmp_path, [("mark", fix)])
    assert len(proofs) == deliveries.COUNT
    assert sum(proof.changed_outside for proof in proofs) == 0
    assert all(proof.changed_inside > 0 for proof in proofs)
    form = form_of(key)
    made, source = read(tmp_path / f"pot.1003{form.suffix}"), clip.read(1003) / 65535
    step = {"float16": 2.0**-11, "float32": 1e-7}.get(form.depth, 0.5 / (2**form.bits - 1)) * 1.01
    far = np.hypot(*(np.mgrid[0:120, 0:160] - np.array([60, 80])[:, None, None])) > 40
    assert np.abs(made - source)[far].max() <= step
    assert np.abs(made - source)[~far].max() > 0.05


def test_ten_bits_in_sixteen_and_back_are_the_same_ten_bits(tmp_path):
    clip = clip_of(tmp_path / "in", ".dpx", bits=10)
    assert clip.bits == 10
    ready = ordered(clip, Piece("frames", "tiff16"), space="bt1886")
    delivered(ready, tmp_path / "tif", [])
    assert ready.said()[0]["values"] == "every value kept"
    wide = tifffile.imread(tmp_path / "tif" / "pot.1002.tif")
    assert (wide == clip.read(1002)).all()
    again = open_clip(tmp_path / "tif")
    delivered(ordered(again, Piece("frames", "dpx10"), space="bt1886"), tmp_path / "dpx", [])
    assert (open_clip(tmp_path / "dpx").read(1002) == clip.read(1002)).all()


@pytest.mark.parametrize(
    ("depth", "bits", "form", "words"),
    [
        ("uint8", 8, "exr-half", "every value kept"), ("uint16", 16, "exr-half", "rounded to half float"),
        ("uint16", 16, "dpx10", "rounded to 10 bits"), ("uint16", 12, "dpx12", "every value kept"),
        ("float32", 32, "exr-half", "rounded to half float"), ("float16", 16, "exr-float", "every value kept"),
    ],
)  # fmt: skip
def test_what_becomes_of_the_values_is_said_and_true(depth, bits, form, words):
    values = Values(Encoding("srgb", min(bits, 16)), form_of(form))
    assert values.said(depth) == words
    rng = np.random.default_rng(1)
    if depth.startswith("float"):
        codes = rng.random((40, 40, 3)).astype(depth)
        there = values.of(codes)
        assert (there.astype(depth) == codes).all() == (words == "every value kept")
        return
    top = 2**bits - 1
    plain = rng.integers(0, top + 1, (60, 60, 3))
    codes = np.asarray(np.rint(plain * (255 / top if depth == "uint8" else 65535 / top)), depth)
    there = values.of(codes).astype(float)
    back = np.rint((there if form_of(form).floats else there / 65535) * top)
    assert (back == plain).all() == (words == "every value kept")


def test_floats_are_not_cut_off_by_themselves_and_can_be_encoded(tmp_path):
    clip = clip_of(tmp_path / "in", ".exr", "float16")
    with pytest.raises(HushError, match="cut off at 0 and 1"):
        ordered(clip, Piece("frames", "tiff16"), space="linear")
    ready = ordered(clip, Piece("frames", "tiff16", "srgb"), space="linear")
    delivered(ready, tmp_path / "out", [])
    assert ready.said()[0]["values"].startswith("written in another encoding")
    linear = clip.read(1001).astype(float)
    # IEC 61966-2-1
    wanted = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    assert np.abs(tifffile.imread(tmp_path / "out" / "pot.1001.tif") / 65535 - np.clip(wanted, 0, 1)).max() < 2e-4


def test_mattes_go_along_as_channels_of_exr(sixteen, tmp_path):
    clip, fix = sixteen
    other = fix_on(clip, Encoding("srgb", 16), (40.0, 40.0), 14.0)
    ready = ordered(clip, Piece("frames", "exr-half", mattes=True), fixes=("Price tag", "Price tag"))
    assert ready.fixes == ("Price-tag", "Price-tag-2")
    delivered(ready, tmp_path, list(zip(ready.fixes, (fix, other), strict=True)), frames=[1001, 1002])
    with OpenEXR.File(str(tmp_path / "pot.1002.exr"), separate_channels=True) as made:
        channels = made.channels()
        assert {"R", "G", "B", "matte.Price-tag", "matte.Price-tag-2"} <= set(channels)
        matte = channels["matte.Price-tag"].pixels
        assert matte.dtype == np.float16
        assert matte[60, 80] == 1
        assert matte[5, 5] == 0
        assert channels["matte.Price-tag-2"].pixels[40, 40] == 1


def test_timecode_and_rate_stand_in_the_headers(sixteen, tmp_path):
    clip, _ = sixteen
    delivered(ordered(clip, Piece("frames", "exr-half")), tmp_path / "exr", [], frames=[1004])
    delivered(ordered(clip, Piece("frames", "dpx10")), tmp_path / "dpx", [], frames=[1004])
    assert timecode.bcd("10:00:00:03") == 0x10000003  # SMPTE ST 12-1: binary coded decimals
    for path in (tmp_path / "exr" / "pot.1004.exr", tmp_path / "dpx" / "pot.1004.dpx"):
        spec = oiio.ImageBuf(str(path)).spec()
        found = spec.getattribute("smpte:TimeCode")
        assert (found if isinstance(found, str) else f"{int(found[0]) & 0xFFFFFFFF:08x}") in ("10:00:00:03", "10000003")
    with OpenEXR.File(str(tmp_path / "exr" / "pot.1004.exr")) as made:
        assert made.header()["framesPerSecond"] == Fraction(25)


@pytest.mark.parametrize("channels", [1, 3, 4])
def test_a_sequence_as_ffv1_keeps_every_value(tmp_path, channels):
    clip = clip_of(tmp_path / "in", ".tif", channels=channels)
    proofs = delivered(ordered(clip, Piece("frames", "ffv1")), tmp_path / "out", [])
    assert sum(proof.changed_outside + proof.changed_inside for proof in proofs) == 0
    made = open_movie(tmp_path / "out" / "pot.mkv", FIRST := deliveries.FIRST)
    assert (made.header.rate, made.header.count, made.header.timecode) == (25, deliveries.COUNT, "10:00:00:00")
    source = clip.read(FIRST + 4)
    wanted = np.repeat(source, 3, axis=2) if channels == 1 else source
    assert (made.read(FIRST + 4) == wanted).all()


@pytest.mark.parametrize(("key", "fmt"), [("prores4444", "yuv444p12le"), ("prores422hq", "yuv422p10le")])
def test_prores_is_close_and_says_how_close(sixteen, tmp_path, key, fmt):
    clip, fix = sixteen
    ready = ordered(clip, Piece("frames", key))
    proofs = delivered(ready, tmp_path, [("mark", fix)])
    assert ready.said()[0]["values"] == "coded with loss"
    with av.open(str(tmp_path / "pot.mov")) as container:
        stream = container.streams.video[0]
        assert (stream.codec_context.name, stream.format.name, stream.frames) == ("prores", fmt, deliveries.COUNT)
        shown = [frame.to_ndarray(format="rgb48le") for frame in container.decode(video=0)]
    assert 0 < max(proof.worst for proof in proofs) < 24  # of 1023
    off = np.abs(shown[2] / 65535 - clip.read(1003) / 65535)
    assert np.median(off[:40]) < 0.01  # a peer's own conversion, swscale, agrees in colour and range
    assert proofs[0].sha256 != proofs[1].sha256


@pytest.mark.parametrize("key", ["prores422hq", "prores4444"])
def test_the_coarsest_grain_is_still_coding_and_another_picture_is_not(tmp_path, monkeypatch, key):
    """Noise over all of the range, where coding is as far off as it comes; then a frame that was swapped on the way."""
    from hushcore.deliver import movie as engine
    from hushcore.media.pictures import write_codes

    for frame in range(1001, 1004):
        noise = np.random.default_rng(frame).normal(0.5, 0.3, (120, 160, 3))
        write_codes(tmp_path / "in" / f"n.{frame}.tif", np.round(np.clip(noise, 0, 1) * 65535).astype(np.uint16))
    clip = open_clip(tmp_path / "in")
    assert len(delivered(ordered(clip, Piece("frames", key)), tmp_path / "out", [])) == 3
    real = engine.record.segment_planes
    monkeypatch.setattr(engine.record, "segment_planes", lambda path: reversed(list(real(path))))
    with pytest.raises(HushError, match="another picture"):
        delivered(ordered(clip, Piece("frames", key)), tmp_path / "swapped", [])


def test_a_prores_of_its_own_samples_goes_through_no_other_colour(tmp_path):
    movie = open_movie(write_movie(tmp_path / "a.mov", "prores_ks", "yuv422p10le", 6, Fraction(25), {"profile": "hq"}))
    ready = ordered(movie, Piece("frames", "prores422hq"), space="bt1886")
    delivered(ready, tmp_path / "out", [])
    made = open_movie(tmp_path / "out" / "pot.mov")
    off = [np.abs(one.astype(int) - two).mean() for one, two in zip(movie.planes(3)[0], made.planes(3)[0], strict=True)]
    assert max(off) < 0.6  # of 1023: a second generation of hard edges, no conversion


def test_planes_of_rgb_are_those_of_the_standard():
    """Against colour-science's RGB_to_YCbCr, BT.709, legal range, 10 bit."""
    import colour

    rng = np.random.default_rng(5)
    codes = rng.integers(0, 65536, (20, 30, 3)).astype(np.uint16)
    wanted = colour.RGB_to_YCbCr(
        codes / 65535, K=colour.WEIGHTS_YCBCR["ITU-R BT.709"], in_legal=False, out_bits=10, out_int=True, out_legal=True
    )
    made = yuv.planes16(codes, yuv.Layout(10, False, "bt709"))
    assert max(np.abs(made[k].astype(int) - wanted[..., k]).max() for k in range(3)) <= 1


def test_a_preview_is_made_of_what_is_shown(sixteen, tmp_path):
    clip, fix = sixteen

    def shown(codes):
        return np.asarray(codes >> 8, np.uint8)

    ready = ordered(clip, Piece("preview"), Piece("side"))
    delivered(ready, tmp_path, [("mark", fix)], shown=shown)
    for name, wide in (("pot-preview.mp4", 160), ("pot-side-by-side.mp4", 320)):
        with av.open(str(tmp_path / name)) as container:
            frames = [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]
        assert len(frames) == deliveries.COUNT
        assert frames[0].shape[1] == wide
    middle = frames[2][50:70, :].astype(float).mean((0, 2))
    assert middle[70:90].mean() < middle[230:250].mean() - 30  # the mark is there on the left and gone on the right


def test_what_cannot_be_written_is_refused_in_words(sixteen):
    clip, _ = sixteen
    for piece, words in (
        (Piece("frames", "h264"), "for previews"), (Piece("patch", "dpx10"), "no alpha"),
        (Piece("mattes", "prores4444"), "without loss"), (Piece("frames", "tiff16", mattes=True), "OpenEXR only"),
        (Piece("frames", "jpeg"), "no form"), (Piece("patch", "png16", straight=False), "straight alpha only"),
        (Piece("frames", "tiff16", "ocio:nowhere"), "no encoding"),
    ):  # fmt: skip
        with pytest.raises(HushError, match=words):
            ordered(clip, piece)
    with pytest.raises(HushError, match="Choose what to deliver"):
        ordered(clip)


def test_a_movie_is_not_joined_anew_from_what_a_killed_worker_left_of_its_segments(tmp_path):
    clip = clip_of(tmp_path / "in")
    ready, out = ordered(clip, Piece("frames", "ffv1")), tmp_path / "out"
    numbers = list(clip.frames)
    for k in range(0, len(numbers), 3):
        deliver_chunk(ready, numbers[k : k + 3], lambda _: [], out, lambda *_: True)
    last = sorted(out.glob(".*.mkv"))[-1]
    kept = last.read_bytes()
    (movie,) = finish(ready, numbers, out)
    whole = movie.read_bytes()
    last.write_bytes(kept)  # as if it had been killed before this one went
    assert finish(ready, numbers, out) == [movie]
    assert movie.read_bytes() == whole
    assert not last.exists()
