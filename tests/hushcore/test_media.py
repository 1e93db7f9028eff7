import os
import subprocess
import sys
import textwrap

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
import tifffile

from hushcore.errors import HushError
from hushcore.media import pictures
from hushcore.media.clips import open_clip


def opencv_rgb(path):
    picture = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    return cv2.cvtColor(picture, cv2.COLOR_BGR2RGB if picture.shape[2] == 3 else cv2.COLOR_BGRA2RGBA)


@pytest.mark.parametrize("suffix", [".tif", ".png"])
@pytest.mark.parametrize("depth", ["uint8", "uint16"])
@pytest.mark.parametrize("channels", [3, 4])
def test_written_codes_are_read_by_others_bit_for_bit(tmp_path, suffix, depth, channels):
    codes = np.random.default_rng(1).integers(0, np.iinfo(depth).max, (17, 23, channels)).astype(depth)
    path = tmp_path / f"a{suffix}"
    pictures.write_codes(path, codes)
    # TIFF 6.0 and PNG by independent readers: tifffile and OpenCV
    peer = tifffile.imread(path) if suffix == ".tif" else opencv_rgb(path)
    assert (peer == codes).all()
    assert (pictures.read_codes(path) == codes).all()
    assert [entry.name for entry in tmp_path.iterdir()] == [path.name]


def test_tiff_by_tifffile_is_read_bit_for_bit(tmp_path):
    codes = np.random.default_rng(2).integers(0, 65535, (20, 30, 3)).astype(np.uint16)
    tifffile.imwrite(tmp_path / "b.tif", codes, photometric="rgb", compression="zlib", predictor=True)
    assert (pictures.read_codes(tmp_path / "b.tif") == codes).all()


def test_metadata_and_compression_are_carried_over(tmp_path):
    codes = np.zeros((8, 8, 3), np.uint16)
    spec = oiio.ImageSpec(8, 8, 3, "uint16")
    spec["compression"], spec["ImageDescription"] = "lzw", "take 7"
    pictures.write_codes(tmp_path / "a.tif", codes, spec)
    pictures.write_like(tmp_path / "a.tif", tmp_path / "b.tif", codes)
    found = oiio.ImageInput.open(str(tmp_path / "b.tif")).spec()
    assert found["compression"] == "lzw"
    assert found["ImageDescription"] == "take 7"


def test_clip_keeps_its_own_numbers(make_clip):
    clip = open_clip(make_clip([1001, 1002, 1003]))
    assert (clip.first, clip.last, clip.name, clip.depth) == (1001, 1003, "clip", "uint16")
    assert clip.file(1002) == "clip.1002.tif"
    again = open_clip(clip.folder / "clip.####.tif")
    assert again.frames == clip.frames


def test_unpadded_numbers_are_one_sequence(make_clip, tmp_path):
    folder = make_clip([9], name="a")
    codes = pictures.read_codes(folder / "a.0009.tif")
    for entry in folder.iterdir():
        entry.unlink()
    for number in (9, 10, 101):
        pictures.write_codes(folder / f"a.{number}.tif", codes)
    clip = open_clip(folder)
    assert clip.frames == (9, 10, 101)
    assert clip.path(101).name == "a.101.tif"


def test_missing_frame_is_named(make_clip):
    folder = make_clip([1, 2, 4])
    clip = open_clip(folder)
    assert clip.missing == [3]
    with pytest.raises(HushError, match="Frame 3 of clip is missing"):
        clip.read(3)
    with pytest.raises(HushError, match="Frame 3 is missing from clip"):
        clip.check_range(1, 4)


def test_truncated_frame_is_named(make_clip):
    folder = make_clip([1, 2])
    path = folder / "clip.0002.tif"
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    with pytest.raises(HushError) as error:
        open_clip(folder).read(2)
    assert error.value.kind in ("truncated", "unreadable")
    assert "clip" in error.value.message


def test_odd_size_is_named(make_clip):
    folder = make_clip([1, 2])
    pictures.write_codes(folder / "clip.0002.tif", np.zeros((10, 10, 3), np.uint16))
    with pytest.raises(HushError, match="Frame 2 of clip is 10 x 10"):
        open_clip(folder).read(2)


def test_a_file_that_is_no_picture(tmp_path):
    (tmp_path / "x.0001.tif").write_text("hello")
    with pytest.raises(HushError, match="cannot be read as a picture"):
        open_clip(tmp_path)


def test_a_huge_picture_is_refused_from_its_header(tmp_path):
    # only the header is honest: 60000 x 60000 would be 21 GB
    tifffile.imwrite(tmp_path / "big.0001.tif", shape=(40000, 40000, 3), dtype=np.uint8, photometric="rgb")
    with pytest.raises(HushError, match="40000 x 40000") as error:
        open_clip(tmp_path)
    assert error.value.kind == "too-large"


def test_pictures_of_other_depths_are_refused_in_words(tmp_path):
    tifffile.imwrite(tmp_path / "f.0001.tif", np.zeros((8, 8, 3), np.uint32), photometric="rgb")
    with pytest.raises(HushError, match="8 and 16 bit"):
        open_clip(tmp_path)


def test_full_disk_leaves_nothing_half_written(tmp_path):
    # a file size limit makes the system refuse the write in the middle, as a full disk does
    code = textwrap.dedent("""
        import resource, signal, sys, numpy as np
        from pathlib import Path
        from hushcore.errors import HushError
        from hushcore.media.pictures import write_codes
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        noise = np.random.default_rng(0).integers(0, 65535, (200, 200, 3)).astype('uint16')
        resource.setrlimit(resource.RLIMIT_FSIZE, (20000, 20000))
        try:
            write_codes(Path(sys.argv[1]) / "a.tif", noise)
        except HushError as error:
            print(error.kind, error.message)
    """)
    done = subprocess.run([sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, check=True)
    assert done.stdout.startswith("disk-full")
    assert "may be full" in done.stdout
    assert os.listdir(tmp_path) == []
