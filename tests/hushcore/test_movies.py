"""Movies: frame-exact, without a shift, and back without loss."""

import os
from fractions import Fraction

import av
import numpy as np
import pytest

from hushcore.errors import HushError
from hushcore.media import yuv
from hushcore.media.movie_header import probe
from hushcore.media.movies import open_movie
from tests.hushcore.movies import delivered, joined, number_of, picture, write_movie

KINDS = [
    ("mov", "prores_ks", "yuv422p10le", {}),
    ("mov", "prores_ks", "yuva444p10le", {"profile": "4"}),
    ("mov", "dnxhd", "yuv422p10le", {"profile": "dnxhr_hqx"}),
    ("mp4", "libx264", "yuv420p", {"bf": "3", "g": "12"}),
    ("mp4", "libx264", "yuv422p10le", {"bf": "2", "g": "30"}),
    ("mp4", "libx265", "yuv420p10le", {"x265-params": "log-level=none:keyint=10"}),
    ("mkv", "ffv1", "yuv420p12le", {"g": "1"}),
    ("mkv", "ffv1", "gbrp10le", {"g": "1"}),
    ("avi", "mjpeg", "yuvj422p", {}),
]


@pytest.mark.parametrize(("suffix", "codec", "pix_fmt", "options"), KINDS)
@pytest.mark.parametrize("rate", [Fraction(24000, 1001), Fraction(25)])
def test_any_frame_is_the_frame_that_was_asked_for(tmp_path, suffix, codec, pix_fmt, options, rate):
    size = (256, 144) if codec == "dnxhd" else (240, 136)
    movie = open_movie(write_movie(tmp_path / f"a.{suffix}", codec, pix_fmt, 40, rate, options, size), first=1001)
    assert (movie.first, movie.last, movie.rate) == (1001, 1040, rate)
    order = np.random.default_rng(3).permutation(40)[:14]
    assert [number_of(movie.read(1001 + int(n))) for n in order] == [int(n) for n in order]


@pytest.mark.parametrize("codec", ["libx264", "libx265"])
def test_a_frame_asked_for_at_random_has_the_samples_of_playing_through(tmp_path, codec):
    """Pictures that no other is made from are left out on the way; not one sample of what is made from the rest changes."""
    options = {"g": "60", "bf": "3"} if codec == "libx264" else {"x265-params": "keyint=60:bframes=3:log-level=none"}
    path = write_movie(tmp_path / "long.mp4", codec, "yuv420p", count=60, options=options)
    through = open_movie(path)
    frames = {number: through.read(number) for number in range(60)}
    os.utime(path, ns=(1, 1))  # another reader
    again = open_movie(path)
    for number in np.random.default_rng(8).permutation(60)[:20]:
        assert (again.read(int(number)) == frames[int(number)]).all()


@pytest.mark.parametrize(("suffix", "codec", "pix_fmt", "options"), KINDS)
def test_a_delivery_without_a_fix_changes_no_sample(tmp_path, suffix, codec, pix_fmt, options):
    size = (256, 144) if codec == "dnxhd" else (240, 136)
    movie = open_movie(write_movie(tmp_path / f"a.{suffix}", codec, pix_fmt, 12, Fraction(24), options, size))
    out = tmp_path / "out"
    proofs = [*delivered(movie, [2, 3, 4], out), *delivered(movie, [5, 6], out)]
    assert sum(proof.changed_inside + proof.changed_outside for proof in proofs) == 0
    made = open_movie(joined(movie, range(2, 7), out))
    assert made.header.count == 5
    assert made.header.rate == movie.header.rate
    assert (made.header.matrix, made.header.full) == (movie.header.matrix, movie.header.full)
    for k in range(5):
        for one, two in zip(movie.planes(2 + k)[0], made.planes(k)[0], strict=True):
            assert (one == two).all()
    assert not list(out.glob(".*"))


def test_an_uneven_rhythm_is_conformed_to_the_picture_on_screen(tmp_path):
    times = [0, 40, 80, 200, 240, 280, 320, 360]  # at 25 f/s, three frames long after the third picture
    path = write_movie(tmp_path / "v.mkv", "ffv1", "yuv420p", 8, Fraction(25), {"g": "1"}, times=times)
    movie = open_movie(path, rate=Fraction(25))
    assert not movie.header.even
    assert [number_of(movie.read(n)) for n in movie.frames] == [0, 1, 2, 2, 2, 3, 4, 5, 6, 7]


def test_a_conformed_movie_keeps_its_length_in_seconds(tmp_path):
    movie = open_movie(write_movie(tmp_path / "a.mp4", "libx264", "yuv420p", 50, Fraction(50)), rate=Fraction(25))
    assert len(movie.frames) == 25
    assert [number_of(movie.read(n)) for n in (0, 1, 10, 24)] == [0, 2, 20, 48]


@pytest.mark.parametrize("turned", [90, 180, 270])
def test_a_rotation_flag_is_followed(tmp_path, turned):
    upright = open_movie(write_movie(tmp_path / "a.mp4", "libx264", "yuv444p", 3, options={"qp": "0"}))
    movie = open_movie(write_movie(tmp_path / "b.mp4", "libx264", "yuv444p", 3, options={"qp": "0"}, turned=turned))
    peer = av.open(str(tmp_path / "b.mp4"))
    quarter = round(next(iter(peer.decode(video=0))).rotation / 90) % 4
    assert movie.read(1).shape == np.rot90(upright.read(1), quarter).shape
    assert (movie.read(1) == np.rot90(upright.read(1), quarter)).all()


@pytest.mark.parametrize(("matrix", "tag"), [("bt601", 5), ("bt709", 1), ("bt2020", 9)])
@pytest.mark.parametrize("full", [False, True])
@pytest.mark.parametrize("bits", [8, 10, 12])
def test_planes_and_rgb_agree_with_the_standards(matrix, tag, full, bits):
    """Against colour-science's RGB_to_YCbCr with the weights and ranges of BT.601, BT.709 and BT.2020."""
    import colour

    rng = np.random.default_rng(5)
    rgb = rng.random((20, 30, 3))
    weights = {"bt601": "ITU-R BT.601", "bt709": "ITU-R BT.709", "bt2020": "ITU-R BT.2020"}[matrix]
    codes = colour.RGB_to_YCbCr(
        rgb, K=colour.WEIGHTS_YCBCR[weights], in_legal=False, out_bits=bits, out_int=True, out_legal=not full
    )
    planes = tuple(np.ascontiguousarray(codes[..., k]).astype(np.uint16) for k in range(3))
    ours = yuv.rgb16(planes, yuv.Layout(bits, full, matrix)) / 65535
    assert np.abs(ours - rgb).max() < 2.2 / 2**bits  # rounding of three samples


def test_chroma_lies_where_the_standard_says():
    """H.273: 4:2:0 video has chroma on the first column and between the rows; a ramp must come back unshifted."""
    y, x = np.mgrid[0:32, 0:48].astype(float)
    chroma = 128 + (x - 24) + (y - 16.5)  # whole codes where chroma lies, so that rounding plays no part
    layout = yuv.Layout(8, True, "bt709", 1, 1, left=True, top=False)
    at_x, at_y = np.arange(0, 48, 2.0), np.arange(0, 32, 2.0) + 0.5
    small = 128 + (at_x[None, :] - 24) + (at_y[:, None] - 16.5)
    flat = np.full(x.shape, 128, np.uint8)
    rgb = yuv.rgb16((flat, flat[::2, ::2].copy(), np.round(small).astype(np.uint8)), layout) / 65535
    expected = flat / 255 + 2 * (1 - 0.2126) * (chroma - 128) / 255
    inside = (slice(2, -2), slice(2, -2))
    assert abs((rgb[..., 0] - expected)[inside].mean()) < 0.2 / 255
    assert np.abs((rgb[..., 0] - expected)[inside]).max() < 1.2 / 255


@pytest.mark.parametrize("subsampling", [(0, 0), (1, 0), (1, 1)])
def test_a_patch_touches_only_the_samples_under_it(subsampling):
    rng = np.random.default_rng(6)
    layout = yuv.Layout(10, False, "bt709", *subsampling)
    y = rng.integers(400, 600, (40, 64)).astype(np.uint16)
    u, v = (rng.integers(480, 540, (40 >> subsampling[1], 64 >> subsampling[0])).astype(np.uint16) for _ in range(2))
    before = yuv.rgb16((y, u, v), layout)
    after = before.copy()
    after[12:20, 21:33] = 30000
    made = yuv.patched((y, u, v), layout, before, after)
    mask = (before != after).any(-1)
    assert (made[0][~mask] == y[~mask]).all()
    under = yuv.footprint(mask, layout)
    assert (made[1][~under] == u[~under]).all()
    assert (made[2][~under] == v[~under]).all()
    back = yuv.rgb16(made, layout)
    core = (slice(15, 17), slice(25, 29))  # two samples from the border of the change chroma is the patch's alone
    tolerance = 90 if subsampling == (0, 0) else 1500  # subsampled noise keeps its own fine chroma
    assert np.abs(back[core].astype(float).mean((0, 1)) - 30000).max() < tolerance


def test_a_smooth_patch_comes_back_through_subsampling():
    layout = yuv.Layout(10, False, "bt709", 1, 1)
    y = np.full((40, 64), 500, np.uint16)
    u = v = np.full((20, 32), 512, np.uint16)
    before = yuv.rgb16((y, u, v), layout)
    x = np.linspace(0, 1, 64)[None, :, None]
    after = np.round(before + 8000 * np.sin(np.pi * x) * np.array([1, -0.4, 0.2])).astype(np.uint16)
    back = yuv.rgb16(yuv.patched((y, u, v), layout, before, after), layout)
    assert np.abs(back.astype(float) - after)[:, 2:-2].max() < 150  # about two codes of ten bits


def test_transfer_and_range_tags_are_found(tmp_path):
    path = write_movie(
        tmp_path / "hdr.mp4", "libx265", "yuv420p10le", 4, options={"x265-params": "log-level=none"},
        tags={"color_trc": 16, "color_primaries": 9, "colorspace": 9, "color_range": 2},
    )  # fmt: skip
    header = probe(path)
    assert (header.space, header.matrix, header.full) == ("pq", "bt2020", True)


def test_timecode_and_sound_go_along(tmp_path):
    path = tmp_path / "s.mov"
    with av.open(str(path), "w") as container:
        video = container.add_stream("prores_ks", rate=Fraction(25))
        video.width, video.height, video.pix_fmt = 240, 136, "yuv422p10le"
        video.metadata["timecode"] = "10:00:00:00"
        sound = container.add_stream("pcm_s16le", rate=48000, layout="mono")
        for k in range(25):
            frame = av.VideoFrame.from_ndarray(picture(k, 240, 136), "rgb24").reformat(format="yuv422p10le")
            frame.pts, frame.time_base = k, Fraction(1, 25)
            container.mux(video.encode(frame))
            wave = np.full((1, 1920), k, np.int16)
            part = av.AudioFrame.from_ndarray(wave, format="s16", layout="mono")
            part.sample_rate, part.pts, part.time_base = 48000, k * 1920, Fraction(1, 48000)
            container.mux(sound.encode(part))
        container.mux(video.encode(None))
        container.mux(sound.encode(None))
    movie = open_movie(path)
    assert movie.header.timecode == "10:00:00:00"
    delivered(movie, range(5, 15), tmp_path / "o")
    out = joined(movie, range(5, 15), tmp_path / "o")
    made = open_movie(out)
    assert made.header.timecode == "10:00:00:05"
    with av.open(str(out)) as container:
        heard = np.concatenate([frame.to_ndarray().ravel() for frame in container.decode(audio=0)])
    assert 9 * 1920 <= len(heard) <= 11 * 1920
    assert set(np.unique(heard)) >= set(range(6, 14))


def test_what_is_no_movie_is_said(tmp_path):
    (tmp_path / "empty.mov").write_bytes(b"")
    (tmp_path / "text.mp4").write_text("not a movie at all" * 50)
    with av.open(str(tmp_path / "sound.mp4"), "w") as container:
        stream = container.add_stream("aac", rate=48000)
        part = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
        part.sample_rate = 48000
        container.mux(stream.encode(part))
        container.mux(stream.encode(None))
    for name, words in (
        ("empty.mov", "0 bytes"),
        ("text.mp4", "cannot be read"),
        ("sound.mp4", "no video"),
        ("x.mov", "missing"),
    ):
        with pytest.raises(HushError, match=words):
            probe(tmp_path / name)


def test_a_movie_cut_short_says_which_picture(tmp_path):
    whole = write_movie(tmp_path / "a.mkv", "ffv1", "yuv420p", 40, options={"g": "1"}).read_bytes()
    movie = open_movie(tmp_path / "a.mkv")
    (tmp_path / "a.mkv").write_bytes(whole[: len(whole) // 2])
    assert number_of(movie.read(3)) == 3
    with pytest.raises(HushError, match="Picture 38"):
        movie.read(38)
    (tmp_path / "a.mkv").unlink()
    with pytest.raises(HushError, match="missing"):
        movie.read(3)
