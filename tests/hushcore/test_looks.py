"""Encodings, looks, bands and stress, against the standards, colour-science and OpenColorIO."""

import colour
import numpy as np
import PyOpenColorIO as ocio
import pytest

from hushcore.bands.split import split
from hushcore.colour import curves, spaces
from hushcore.colour.encoding import Encoding, spread
from hushcore.colour.looks import Baked, Cdl, Look, default_look, load_lut, read_cdl, shown, write_cdl, write_lut
from hushcore.colour.stress import Stress, pushed
from hushcore.errors import HushError

STEPS = np.linspace(0, 1, 257)


@pytest.mark.parametrize(
    ("name", "peer"),
    [
        ("srgb", colour.models.eotf_sRGB),
        ("bt1886", lambda v: colour.models.eotf_BT1886(v, L_B=0, L_W=1)),
        ("pq", lambda v: colour.models.eotf_ST2084(v) / 100),
        ("hlg", colour.models.oetf_inverse_ARIBSTDB67),
        ("acescct", colour.models.log_decoding_ACEScct),
    ],
)
def test_curves_are_the_standards(name, peer):
    """colour-science's own functions; its ARIB STD-B67 takes light to 12, ours to 1 (ITU-R BT.2100, table 5)."""
    expected = peer(STEPS) / (12 if name == "hlg" else 1)
    np.testing.assert_allclose(curves.PLAIN[name].decode(STEPS), expected, rtol=2e-5, atol=2e-6)


def test_printed_values():
    """S-2016-001: ACEScct of 0.18 is 0.4135884; SMPTE ST 2084: 100 cd/m2 is about .5081 (from memory)."""
    assert float(curves.linear_to_acescct(np.array(0.18))) == pytest.approx(0.4135884, abs=1e-6)
    assert float(curves.linear_to_pq(np.array(1.0))) == pytest.approx(0.5081, abs=1e-4)


@pytest.mark.parametrize("bits", [8, 10, 12, 16])
@pytest.mark.parametrize("space", [name for name in curves.PLAIN if name != "linear"])
def test_every_code_comes_back(space, bits):
    kind = np.dtype("uint8" if bits == 8 else "uint16")
    codes = spread(np.arange(2**bits).astype(kind), bits, kind)
    encoding = Encoding(space, bits)
    assert (encoding.encode(encoding.decode(codes), kind) == codes).all()


@pytest.mark.parametrize("name", ["ARRI LogC3 (EI800)", "S-Log3 S-Gamut3", "ACEScct", "Camera Rec.709"])
def test_ten_bit_codes_come_back_through_a_configuration(name):
    codes = spread(np.random.default_rng(1).integers(64, 941, (500, 3)).astype(np.uint16), 10, np.dtype("uint16"))
    encoding = Encoding(f"ocio:{name}", 10)
    encoding.check()
    assert (encoding.encode(encoding.decode(codes), "uint16") == codes).mean() > 0.999


def test_plain_acescct_is_the_configuration_s():
    values = np.random.default_rng(2).random((100, 3)).astype(np.float32)
    peer = spaces.apply(spaces.between("ACEScct", "ACEScg"), values)
    np.testing.assert_allclose(Encoding("acescct").linear(values), peer, rtol=1e-3, atol=1e-4)


def test_float_footage_keeps_its_odd_values_in_reach():
    codes = np.array([[np.nan, np.inf, -0.5]], np.float16)
    linear = Encoding("linear").decode(codes)
    assert np.isfinite(linear).all()
    assert linear[0, 2] == -0.5


def test_cdl_by_hand_and_by_opencolorio():
    """ASC CDL v1.2: out = clamp(in x slope + offset) ^ power; saturation with BT.709 weights."""
    cdl = Cdl((1.2, 1.0, 0.8), (0.05, 0.0, -0.02), (1.0, 1.2, 0.9), 0.7)
    values = np.random.default_rng(3).random((50, 3)).astype(np.float32)
    graded = np.clip(values * cdl.slope + np.array(cdl.offset), 0, 1) ** np.array(cdl.power)
    luma = (graded @ [0.2126, 0.7152, 0.0722])[:, None]
    expected = np.clip(luma + 0.7 * (graded - luma), 0, 1)
    ours = shown(Look(cdl=cdl), Encoding("srgb"), values)
    np.testing.assert_allclose(ours, expected, atol=3e-4)


@pytest.mark.parametrize("suffix", [".cc", ".ccc", ".cdl"])
def test_cdl_files_come_back(tmp_path, suffix):
    cdl = Cdl((1.1, 1.0, 0.9), (0.01, 0.0, -0.02), (1.0, 1.1, 0.95), 0.9)
    write_cdl(tmp_path / f"a{suffix}", cdl, "shot 40")
    ((name, read),) = read_cdl(tmp_path / f"a{suffix}")
    assert (name, read) == ("shot 40", cdl)


def test_the_baked_table_is_the_look():
    for space in ("acescct", "linear"):
        encoding = Encoding(space)
        look = default_look(encoding)
        rng = np.random.default_rng(4)
        grey = rng.uniform(0.25, 0.6, (200, 1, 1)) + rng.normal(0, 0.03, (200, 1, 3))  # tones as footage has them
        codes = (np.clip(grey, 0, 1) * 65535).astype(np.uint16) if space == "acescct" else grey.astype(np.float16)
        exact = shown(look, encoding, encoding.tonal(codes))
        assert np.abs(Baked(look, encoding).show(codes) - exact).max() < 3 / 255


def test_the_fast_table_is_opencolorio_s_tetrahedral():
    encoding = Encoding("acescct")
    baked = Baked(default_look(encoding), encoding)
    codes = np.random.default_rng(5).integers(0, 65536, (60, 70, 3)).astype(np.uint16)
    peer = np.rint(baked.show(codes) * 255)
    assert np.abs(baked.show8(codes).astype(int) - peer).max() <= 1
    eight = (codes >> 8).astype(np.uint8)
    assert np.abs(baked.show8(eight).astype(int) - np.rint(baked.show(eight) * 255)).max() <= 1


def test_a_written_lut_shows_what_the_look_shows(tmp_path):
    encoding = Encoding("acescct")
    look = Look(*("sRGB - Display", "ACES 2.0 - SDR 100 nits (Rec.709)"), exposure=0.5)
    write_lut(tmp_path / "look.cube", look, encoding)
    values = np.random.default_rng(6).uniform(0.3, 0.6, (80, 3)).astype(np.float32)
    peer = spaces.apply(load_lut(str(tmp_path / "look.cube")), values)
    assert np.abs(peer - shown(look, encoding, values)).mean() < 0.01


def test_finished_pictures_are_shown_as_they_are():
    codes = np.arange(65536, dtype=np.uint16).reshape(256, 256, 1).repeat(3, 2)
    baked = Baked(default_look(Encoding("srgb")), Encoding("srgb"))
    assert (baked.show8(codes) == np.rint(codes / 257)).all()


def test_bad_looks_are_said(tmp_path):
    (tmp_path / "a.cube").write_text("no table")
    for look in (
        Look("sRGB - Display", "No such view"),
        Look(exposure=99),
        Look(gamma=0),
        Look(lut=str(tmp_path / "a.cube")),
    ):
        with pytest.raises(HushError):
            look.check()
    with pytest.raises(HushError, match="missing"):
        spaces.config(str(tmp_path / "gone.ocio"))
    (tmp_path / "bad.ocio").write_text("ocio_profile_version: nonsense")
    with pytest.raises(HushError, match="cannot be read"):
        spaces.config(str(tmp_path / "bad.ocio"))


def test_a_facility_s_own_configuration(tmp_path):
    config = ocio.Config.CreateFromBuiltinConfig("cg-config-v4.0.0_aces-v2.0_ocio-v2.5")
    (tmp_path / "own.ocio").write_text(config.serialize())
    encoding = Encoding("ocio:ACEScct", 10, str(tmp_path / "own.ocio"))
    encoding.check()
    assert default_look(encoding).view


def test_tone_and_texture_add_up():
    """Burt & Adelson 1983: the two bands give the picture back, to one unit in the last place."""
    picture = np.random.default_rng(7).random((40, 50, 3)).astype(np.float32)
    tone, texture = split(picture)
    assert np.abs(tone + texture - picture).max() <= 2**-24  # half a unit in the last place of 1


def test_stress_pushes_and_idle_leaves_alone():
    picture = np.random.default_rng(8).random((20, 20, 3)).astype(np.float32)
    assert (pushed(picture, Stress()) == picture).all()
    assert len(np.unique(pushed(picture, Stress(posterise=3)))) == 3
    grey = np.full((4, 4, 3), 0.4, np.float32)
    np.testing.assert_allclose(pushed(grey, Stress(saturation=8)), grey, atol=1e-6)
