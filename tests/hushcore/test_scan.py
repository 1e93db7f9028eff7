"""Finding footage, and edits."""

import os
import sys
from fractions import Fraction

import numpy as np
import pytest

from hushcore.errors import HushError
from hushcore.media import scan
from hushcore.media.conform import read_edit
from hushcore.media.pictures import exact_rate, write_codes
from tests.hushcore.movies import write_movie

CODES = np.zeros((8, 10, 3), np.uint16)


def test_a_folder_names_sequences_gaps_doubles_and_movies(tmp_path):
    for name in ("a.1001.tif", "a.1002.tif", "a.1005.tif", "a.01002.tif", "b_0001.dpx", "note.txt", ".hidden.0001.tif"):
        (tmp_path / name).write_bytes(b"x")
    (tmp_path / "c.mov").write_bytes(b"x")
    (tmp_path / "below").mkdir()
    folders, found = scan.folder(tmp_path)
    assert folders == ["below"]
    seen = {entry.place: entry for entry in found}
    assert seen["a.####.tif"].missing == [1003, 1004]
    assert seen["a.####.tif"].doubles == [1002]
    assert seen["b_####.dpx"].count == 1
    assert seen["c.mov"].kind == "movie"


def test_dates_in_names_are_not_a_range_of_millions(tmp_path):
    for name in ("shot.20240101.tif", "shot.99240101.tif"):
        (tmp_path / name).write_bytes(b"x")
    (found,) = scan.folder(tmp_path)[1]
    assert found.missing == []


def test_odd_frames_are_named_with_their_reason(tmp_path):
    for frame in range(1, 7):
        write_codes(tmp_path / f"a.{frame:04d}.tif", CODES)
    write_codes(tmp_path / "a.0003.tif", np.zeros((9, 10, 3), np.uint16))
    write_codes(tmp_path / "a.0004.tif", CODES.astype(np.uint8))
    (tmp_path / "a.0005.tif").write_bytes(b"broken")
    found = scan.examine(tmp_path / "a.####.tif")
    assert set(found.odd) == {3, 4, 5}
    assert found.odd[3].startswith("10 x 9")
    assert "8 bit" in found.odd[4]
    assert "cannot be read" in found.odd[5]


def test_a_reader_that_breaks_down_breaks_nothing_else(tmp_path, monkeypatch):
    """The same words as ``examine``, from a process of its own; one that dies is told, not raised as a crash."""
    write_codes(tmp_path / "a.0001.tif", CODES)
    assert scan.examine_apart(tmp_path / "a.####.tif").width == 10
    (tmp_path / "e.mov").touch()
    with pytest.raises(HushError, match="0 bytes"):
        scan.examine_apart(tmp_path / "e.mov")
    killer = tmp_path / "killer"
    killer.write_text("#!/bin/sh\nkill -SEGV $$\n")
    killer.chmod(0o755)
    monkeypatch.setattr(sys, "executable", str(killer))
    with pytest.raises(HushError, match="broke down"):
        scan.examine_apart(tmp_path / "a.####.tif")


def test_a_movie_s_header_survives_as_plain_data(tmp_path):
    import json

    path = write_movie(tmp_path / "m.mp4", "libx264", "yuv420p", 10, Fraction(30000, 1001))
    found = scan.examine(path)
    assert (found.count, found.rate, found.bits) == (10, "30000/1001", 8)
    from hushcore.media.movie_header import probe

    assert scan.header_of(json.loads(json.dumps(found.header))) == probe(path)


@pytest.mark.parametrize(
    ("written", "exact"),
    [
        (23.976, (24000, 1001)),
        (23.98, (24000, 1001)),
        (29.97, (30000, 1001)),
        (25.0, (25, 1)),
        (59.94, (60000, 1001)),
        (24, (24, 1)),
    ],
)
def test_written_rates_mean_the_exact_ones(written, exact):
    assert exact_rate(written) == Fraction(*exact)


EDL = """TITLE: SPRING
FCM: NON-DROP FRAME

001  APRON    V     C        00:00:41:17 00:00:43:17 01:00:00:00 01:00:02:00
* FROM CLIP NAME: apron
002  WALL     V     C        10:00:00:10 10:00:01:10 01:00:02:00 01:00:03:00
"""


def test_an_edl_through_its_adapter(tmp_path):
    (tmp_path / "e.edl").write_text(EDL)
    one, two = read_edit(tmp_path / "e.edl", Fraction(24))
    assert (one.source, one.first, one.last, one.rate) == ("APRON", 1001, 1048, Fraction(24))
    assert (two.source, two.last - two.first + 1) == ("WALL", 24)
    assert two.cut - one.cut == 48


def test_an_otio_file(tmp_path):
    import opentimelineio as otio

    timeline = otio.schema.Timeline("cut")
    track = otio.schema.Track(kind="Video")
    rate = 24000 / 1001
    for name, start, count in (("apron", 1010, 20), ("jug", 5, 30)):
        media = otio.schema.ExternalReference(f"file:///volumes/x/{name}.mov")
        used = otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(count, rate))
        track.append(otio.schema.Clip(f"shot {name}", media, used))
    timeline.tracks.append(track)
    otio.adapters.write_to_file(timeline, str(tmp_path / "e.otio"))
    one, two = read_edit(tmp_path / "e.otio")
    assert (one.name, one.first, one.last, one.cut, one.rate) == ("shot apron", 1010, 1029, 0, Fraction(24000, 1001))
    assert (two.url.rsplit("/", 1)[1], two.cut) == ("jug.mov", 20)


@pytest.mark.parametrize("content", ["", "{", "TITLE: X\n001 A V C 99:00:00:00 bad", '{"OTIO_SCHEMA": "Track.1"}'])
@pytest.mark.parametrize("suffix", [".edl", ".otio"])
def test_an_edit_that_is_none_is_said(tmp_path, content, suffix):
    (tmp_path / f"e{suffix}").write_text(content)
    with pytest.raises(HushError):
        read_edit(tmp_path / f"e{suffix}")


def test_an_unplugged_folder_is_said(tmp_path):
    with pytest.raises(HushError, match="unplugged"):
        scan.folder(tmp_path / "gone")
    assert os.path.isdir(tmp_path)
