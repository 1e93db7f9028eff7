"""SMPTE ST 12-1, with OpenTimelineIO's opentime as a peer."""

import json
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from opentimelineio import opentime

from hushcore.errors import HushError
from hushcore.media import timecode

NTSC = Fraction(30000, 1001)
REFERENCE = json.loads((Path(__file__).resolve().parents[2] / "web" / "src" / "tests" / "timecode.json").read_text())


def test_drop_frame_by_the_standard():
    """SMPTE ST 12-1: ten minutes at 29.97 are 17,982 frames; 00:01:00;00 and ;01 do not exist, 00:10:00;00 does."""
    assert timecode.frames_of("00:10:00;00", NTSC) == 17982
    assert timecode.written(17982, NTSC, drop=True) == "00:10:00;00"
    assert timecode.written(1799, NTSC, drop=True) == "00:00:59;29"
    assert timecode.written(1800, NTSC, drop=True) == "00:01:00;02"
    for gone in ("00:01:00;00", "00:01:00;01"):
        with pytest.raises(HushError, match="does not exist"):
            timecode.frames_of(gone, NTSC)


@pytest.mark.parametrize("case", REFERENCE["there"], ids=lambda case: case["text"])
def test_the_reference_that_the_screens_are_tested_against_too(case):
    rate = Fraction(*case["rate"])
    assert timecode.frames_of(case["text"], rate) == case["frames"]
    assert timecode.written(case["frames"], rate, ";" in case["text"]) == case["text"]


@pytest.mark.parametrize("case", REFERENCE["none"], ids=lambda case: case["text"] or "nothing")
def test_what_the_reference_says_does_not_exist(case):
    with pytest.raises(HushError):
        timecode.frames_of(case["text"], Fraction(*case["rate"]))


@given(st.integers(0, 24 * 6 * 17982 - 1))
def test_drop_frame_there_and_back_and_as_opentime_has_it(frames):
    text = timecode.written(frames, NTSC, drop=True)
    assert timecode.frames_of(text, NTSC) == frames
    assert opentime.to_timecode(opentime.RationalTime(frames, 30000 / 1001), 30000 / 1001, drop_frame=True) == text


@given(
    st.integers(0, 24 * 3600 * 24 - 1),
    st.sampled_from([Fraction(24), Fraction(25), Fraction(24000, 1001), Fraction(60)]),
)
def test_whole_rates_as_opentime_has_them(frames, rate):
    frames %= 24 * 3600 * timecode.base_of(rate)
    text = timecode.written(frames, rate)
    assert timecode.frames_of(text, rate) == frames
    if rate.denominator == 1:
        assert opentime.to_timecode(opentime.RationalTime(frames, float(rate)), float(rate)) == text


@pytest.mark.parametrize("text", ["1:2", "25:00:00:00", "00:60:00:00", "00:00:00:24", "aa:bb:cc:dd", ""])
def test_what_is_no_timecode_is_said(text):
    with pytest.raises(HushError):
        timecode.frames_of(text, Fraction(24))


def test_no_drop_frame_at_film_rates():
    with pytest.raises(HushError, match="no drop frame"):
        timecode.written(5, Fraction(24000, 1001), drop=True)
