"""What every test may use: small clips with known truth, and the demo footage, rendered once."""

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("HUSH_VAR", ROOT / "var"))

# the tests' own storage, apart from what an artist has in var/
TEST_VAR = VAR / "test" / os.environ.get("PYTEST_XDIST_WORKER", "")
os.environ["HUSH_PROXIES"] = str(TEST_VAR / "proxies")
os.environ["HUSH_DELIVERIES"] = str(TEST_VAR / "deliveries")
os.environ["HUSH_FOOTAGE"] = str(TEST_VAR / "media")
os.environ.setdefault("HUSH_DB_PORT", "54331")
# two processes fill the machine: threads beside them would only wait for each other
if "PYTEST_XDIST_WORKER" in os.environ:
    cv2.setNumThreads(1)


@pytest.fixture(scope="session")
def texture() -> np.ndarray:
    """A real texture picture (scikit-image's ``brick``, CC0), float 0..1."""
    from skimage import data

    return np.asarray(data.brick(), np.float32) / 255


# the frames of a long shot that tests look at; bin/test renders the same
LOOKED_AT = {"apron": "1041-1057", "arm": "16-46", "bust": "4-20", "yard": "32-48"}


def rendered(name: str) -> tuple[Path, Path]:
    """Folders of the demo's footage and of its truth; the shot is rendered when its code has changed.

    In a process of its own: the renderer forks, and this one has threads that a fork would leave behind.
    """
    media, truth = VAR / "media", VAR / "truth"
    words = [sys.executable, "-m", "demo.render", "--media", str(media), "--truth", str(truth)]
    part = ["--frames", LOOKED_AT[name]] if name in LOOKED_AT else []
    subprocess.run([*words, "--only", name, *part], cwd=ROOT, check=True)
    return media, truth


@pytest.fixture(scope="session")
def shots() -> tuple[Path, Path]:
    """The demo's wall, jug and arm: (footage, truth), a folder for each shot in both."""
    return [rendered(name) for name in ("wall", "jug", "arm")][-1]


@pytest.fixture(scope="session")
def apron() -> tuple[Path, Path]:
    """The demo shot and its truth: (footage folder, truth folder)."""
    media, truth = rendered("apron")
    return media / "apron", truth / "apron"


@pytest.fixture
def make_clip(tmp_path: Path) -> Callable[..., Path]:
    """Writes a small sequence ``name.####.suffix`` and returns its folder."""
    from hushcore.media.pictures import write_codes

    def make(frames: list[int], name: str = "clip", suffix: str = ".tif", shape=(48, 64, 3), depth="uint16", seed=1):
        rng = np.random.default_rng(seed)
        folder = tmp_path / name
        for frame in frames:
            codes = rng.integers(0, np.iinfo(depth).max, shape).astype(depth)
            write_codes(folder / f"{name}.{frame:04d}{suffix}", codes)
        return folder

    return make
