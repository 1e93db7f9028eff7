"""What every test may use: small clips with known truth, and the demo footage, rendered once."""

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("HUSH_VAR", ROOT / "var"))

# the tests' own storage, apart from what an artist has in var/
TEST_VAR = VAR / "test"
os.environ["HUSH_PROXIES"] = str(TEST_VAR / "proxies")
os.environ["HUSH_DELIVERIES"] = str(TEST_VAR / "deliveries")
os.environ["HUSH_FOOTAGE"] = str(TEST_VAR / "media")
os.environ.setdefault("HUSH_DB_PORT", "54331")


@pytest.fixture(scope="session")
def texture() -> np.ndarray:
    """A real texture picture (scikit-image's ``brick``, CC0), float 0..1."""
    from skimage import data

    return np.asarray(data.brick(), np.float32) / 255


@pytest.fixture(scope="session")
def apron() -> tuple[Path, Path]:
    """The demo shot and its truth: (footage folder, truth folder). Rendered when its code has changed."""
    from demo.render import render_apron

    media, truth = VAR / "media", VAR / "truth"
    media.mkdir(parents=True, exist_ok=True)
    truth.mkdir(parents=True, exist_ok=True)
    render_apron(media, truth, 96, 1, os.cpu_count() or 2)
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
