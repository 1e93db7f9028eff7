"""Every picture format: what is written by one library is read bit for bit by another, and comes back whole."""

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st

from hushcore.colour.encoding import gathered, spread
from hushcore.deliver.proof import bits_of, narrowed
from hushcore.errors import HushError
from hushcore.media import pictures

SIZE = (30, 44)


def noise(depth, channels=3, seed=7):
    rng = np.random.default_rng(seed)
    if depth.startswith("float"):
        return rng.normal(0.3, 2, (*SIZE, channels)).astype(depth)
    return rng.integers(0, np.iinfo(depth).max, (*SIZE, channels)).astype(depth)


def write_dpx(path, codes, bits, **more):
    spec = oiio.ImageSpec(SIZE[1], SIZE[0], 3, str(codes.dtype))
    spec["oiio:BitsPerSample"] = bits
    for name, value in more.items():
        spec[name.replace("__", ":")] = value
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec)
    assert out.write_image(codes)
    out.close()


def same(one, two):
    return one.dtype == two.dtype and (bits_of(one) == bits_of(two)).all()


@pytest.mark.parametrize("bits", [10, 12, 16])
def test_dpx_comes_back_bit_for_bit(tmp_path, bits):
    """SMPTE ST 268: the file's own words are compared, so that packing is the writer's and not ours alone."""
    real = np.random.default_rng(1).integers(0, 2**bits, (*SIZE, 3)).astype(np.uint16)
    write_dpx(tmp_path / "a.dpx", spread(real, bits, np.dtype("uint16")), bits)
    header = pictures.probe(tmp_path / "a.dpx")
    assert (header.bits, header.depth) == (bits, "uint16")
    codes = pictures.read_codes(tmp_path / "a.dpx")
    assert (gathered(codes, bits) == real).all()
    pictures.write_like(tmp_path / "a.dpx", tmp_path / "b.dpx", codes)
    assert same(pictures.read_codes(tmp_path / "b.dpx"), codes)
    one, two = ((tmp_path / name).read_bytes() for name in ("a.dpx", "b.dpx"))
    start = int.from_bytes(two[4:8], "little" if two[:4] == b"XPDS" else "big")
    assert one[start:] == two[start:]


def test_ten_bits_lie_in_the_words_as_the_standard_has_them(tmp_path):
    """SMPTE ST 268, filled method A: three samples from the top of a 32-bit word, two bits of padding at the bottom."""
    real = np.random.default_rng(2).integers(0, 1024, (*SIZE, 3)).astype(np.uint16)
    pictures_codes = spread(real, 10, np.dtype("uint16"))
    write_dpx(tmp_path / "a.dpx", pictures_codes, 10)
    raw = (tmp_path / "a.dpx").read_bytes()
    order = ">" if raw[:4] == b"SDPX" else "<"
    start = int(np.frombuffer(raw[4:8], order + "u4")[0])
    words = np.frombuffer(raw[start:], order + "u4")[: SIZE[0] * SIZE[1]].reshape(SIZE)
    for k, shift in enumerate((22, 12, 2)):
        assert ((words >> shift) & 1023 == real[..., k]).all()


@pytest.mark.parametrize("compression", ["none", "rle", "zip", "zips", "piz", "pxr24"])
@pytest.mark.parametrize("depth", ["float16", "float32"])
def test_exr_comes_back_bit_for_bit(tmp_path, compression, depth):
    if (compression, depth) == ("pxr24", "float32"):
        pytest.skip("PXR24 keeps 24 of 32 bits")
    codes = noise(depth)
    codes[3, 4] = [np.nan, np.inf, -np.inf]
    parts = {
        "compression": getattr(OpenEXR, f"{compression.upper()}_COMPRESSION".replace("NONE", "NO")),
        "type": OpenEXR.scanlineimage,
    }
    OpenEXR.File(parts, {"RGB": codes}).write(str(tmp_path / "a.exr"))
    read = pictures.read_codes(tmp_path / "a.exr")
    assert same(read, codes)
    pictures.write_like(tmp_path / "a.exr", tmp_path / "b.exr", read)
    with OpenEXR.File(str(tmp_path / "b.exr")) as peer:
        assert same(np.asarray(peer.channels()["RGB"].pixels), codes)
        assert peer.header()["compression"] == parts["compression"]


def test_a_lossy_exr_is_delivered_without_loss(tmp_path):
    parts = {"compression": OpenEXR.DWAA_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(parts, {"RGB": noise("float16")}).write(str(tmp_path / "a.exr"))
    assert pictures.probe(tmp_path / "a.exr").lossy
    codes = pictures.read_codes(tmp_path / "a.exr")
    pictures.write_like(tmp_path / "a.exr", tmp_path / "b.exr", codes)
    assert same(pictures.read_codes(tmp_path / "b.exr"), codes)
    assert not pictures.probe(tmp_path / "b.exr").lossy


def exr_with_window(path):
    """Data window partly outside the display window, a half RGBA and a float depth, and a note."""
    spec = oiio.ImageSpec(SIZE[1], SIZE[0], 5, "half")
    spec.channelnames = ("R", "G", "B", "A", "Z")
    spec.channelformats = (oiio.HALF, oiio.HALF, oiio.HALF, oiio.HALF, oiio.FLOAT)
    spec.x, spec.y, spec.full_x, spec.full_y, spec.full_width, spec.full_height = -5, 6, 0, 0, 40, 32
    spec["compression"], spec["scene"] = "piz", "040"
    values = np.random.default_rng(5).normal(0.4, 0.2, (*SIZE, 5)).astype(np.float32)
    values[..., :4] = values[..., :4].astype(np.float16)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec)
    assert out.write_image(values)
    out.close()
    return values


def test_exr_windows_channels_and_notes_are_carried(tmp_path):
    values = exr_with_window(tmp_path / "a.exr")
    header = pictures.probe(tmp_path / "a.exr")
    assert (header.width, header.height, header.channels, header.depth) == (40, 32, 4, "float16")
    codes = pictures.read_codes(tmp_path / "a.exr")
    assert codes.shape == (32, 40, 4)
    assert (codes[:6] == 0).all()
    assert (codes[6:, :39] == values[: 32 - 6, 5:44, :4].astype(np.float16)).all()
    codes[10, 20] = [1, 2, 3, 1]
    pictures.write_like(tmp_path / "a.exr", tmp_path / "b.exr", codes)
    made = oiio.ImageInput.open(str(tmp_path / "b.exr"))
    spec = made.spec()
    assert (spec.x, spec.y, spec.width, spec.height, spec.full_width) == (-5, 6, *SIZE[::-1], 40)
    assert spec["scene"] == "040"
    assert [str(kind) for kind in spec.channelformats] == ["half"] * 4 + ["float"]
    back = np.asarray(made.read_image("float")).reshape(*SIZE, 5)
    expected = values.copy()
    expected[4, 25, :4] = [1, 2, 3, 1]
    assert (back == expected).all()


def test_a_patch_outside_the_data_window_is_kept(tmp_path):
    exr_with_window(tmp_path / "a.exr")
    codes = pictures.read_codes(tmp_path / "a.exr")
    codes[2, 3, :3] = 0.5
    pictures.write_like(tmp_path / "a.exr", tmp_path / "b.exr", codes)
    assert same(pictures.read_codes(tmp_path / "b.exr"), codes)


def test_other_parts_of_an_exr_are_carried(tmp_path):
    beauty, mask = noise("float16"), noise("float32", 1)
    parts = [
        OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"RGB": beauty}, name="beauty"),
        OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"id": mask[..., 0]}, name="id"),
    ]
    OpenEXR.File(parts).write(str(tmp_path / "a.exr"))
    codes = pictures.read_codes(tmp_path / "a.exr")
    codes[5, 5] = 1
    pictures.write_like(tmp_path / "a.exr", tmp_path / "b.exr", codes)
    with OpenEXR.File(str(tmp_path / "b.exr"), separate_channels=True) as peer:
        assert (peer.parts[0].channels["R"].pixels == codes[..., 0]).all()
        assert (peer.parts[1].channels["id"].pixels == mask[..., 0]).all()


def test_exr_primaries_name_the_encoding(tmp_path):
    for name, values in (("ocio:ACES2065-1", pictures.AP0), ("ocio:ACEScg", pictures.AP1)):
        header = {"type": OpenEXR.scanlineimage, "chromaticities": tuple(float(v) for v in values)}
        OpenEXR.File(header, {"RGB": noise("float16")}).write(str(tmp_path / "a.exr"))
        assert pictures.probe(tmp_path / "a.exr").space == name


@pytest.mark.parametrize("depth", ["uint8", "uint16", "float16", "float32"])
@pytest.mark.parametrize("channels", [1, 3, 4])
def test_tiff_by_tifffile_comes_back(tmp_path, depth, channels):
    codes = noise(depth, channels)
    flat = codes[..., 0] if channels == 1 else codes
    tifffile.imwrite(
        tmp_path / "a.tif", flat, photometric="minisblack" if channels == 1 else "rgb",
        extrasamples=["unassalpha"] if channels == 4 else None, compression="zlib" if depth[0] == "u" else None,
    )  # fmt: skip
    read = pictures.read_codes(tmp_path / "a.tif")
    assert same(read, codes)
    pictures.write_like(tmp_path / "a.tif", tmp_path / "b.tif", read)
    peer = np.asarray(tifffile.imread(tmp_path / "b.tif")).reshape(codes.shape)
    assert same(narrowed(peer, codes.dtype), codes)


def test_jpeg_is_read_and_delivered_as_tiff(tmp_path):
    from skimage import io

    io.imsave(tmp_path / "a.0001.jpg", noise("uint8"), check_contrast=False)
    codes = pictures.read_codes(tmp_path / "a.0001.jpg")
    assert pictures.probe(tmp_path / "a.0001.jpg").lossy
    assert pictures.delivered_suffix(".jpg") == ".tif"
    pictures.write_like(tmp_path / "a.0001.jpg", tmp_path / "a.0001.tif", codes)
    assert same(np.asarray(tifffile.imread(tmp_path / "a.0001.tif")), codes)


def test_names_with_spaces_quotes_and_other_letters(tmp_path):
    path = tmp_path / "näme 'with' \"quotes\" 日本.0001.tif"
    codes = noise("uint16")
    pictures.write_codes(path, codes)
    assert same(pictures.read_codes(path), codes)


@given(st.integers(8, 16), st.data())
@settings(max_examples=30)
def test_spread_codes_gather_again(bits, data):
    """(c << 6) | (c >> 4) for ten bits: the top code stays the top, order stays order (common practice)."""
    code = np.array([data.draw(st.integers(0, 2**bits - 1))], np.uint16)
    wide = spread(code, bits, np.dtype("uint16"))
    assert gathered(wide, bits) == code
    assert abs(int(wide[0]) / 65535 - int(code[0]) / (2**bits - 1)) < 1.2 / 65535


BAD = [
    ("cut.tif", "damaged|cannot be read"),
    ("cut.exr", "damaged|cannot be read"),
    ("cut.dpx", "damaged|cannot be read"),
    ("empty.png", "0 bytes"),
    ("text.exr", "cannot be read"),
    ("wide.tif", "60000 x 2"),
    ("gone.dpx", "missing"),
]


@pytest.mark.parametrize(("name", "words"), BAD)
def test_bad_pictures_are_said(tmp_path, name, words):
    path = tmp_path / name
    if name.startswith("cut"):
        codes = noise("float16" if name.endswith("exr") else "uint16")
        pictures.write_codes(path, codes)
        path.write_bytes(path.read_bytes()[: path.stat().st_size * 2 // 3])
    elif name.startswith("empty"):
        path.touch()
    elif name.startswith("text"):
        path.write_text("no picture " * 40)
    elif name.startswith("wide"):
        tifffile.imwrite(path, np.zeros((2, 60000, 3), np.uint8), photometric="rgb")
    with pytest.raises(HushError, match=words):
        pictures.read_codes(path)


def test_a_mislabelled_file_is_read_for_what_it_is_or_refused(tmp_path):
    pictures.write_codes(tmp_path / "a.png", noise("uint8"))
    (tmp_path / "b.tif").write_bytes((tmp_path / "a.png").read_bytes())
    assert same(pictures.read_codes(tmp_path / "b.tif"), noise("uint8"))


def test_a_png_bomb_is_refused_by_its_header(tmp_path):
    """50,000 x 50,000 black pixels compress to a few megabytes; the header alone must be enough to refuse."""
    import struct
    import zlib

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", 50000, 50000, 8, 2, 0, 0, 0)
    body = zlib.compress(b"\0" * 10_000_000)
    (tmp_path / "bomb.png").write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", body) + chunk(b"IEND", b"")
    )
    with pytest.raises(HushError, match=r"smaller version|malicious"):
        pictures.read_codes(tmp_path / "bomb.png")
