"""OpenColorIO: configurations, colour spaces and processors, kept once made."""

from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from hushcore.arrays import F32
from hushcore.errors import HushError

STUDIO = "ocio://studio-config-v4.0.0_aces-v2.0_ocio-v2.5"
CG = "ocio://cg-config-v4.0.0_aces-v2.0_ocio-v2.5"
PREFIX = "ocio:"
# what the built-in configurations offer for footage: standards and cameras. A facility's own shows all that it has
KNOWN = (
    "ACES", "ADX", "Apple Log", "ARRI", "BMD", "Camera", "Canon", "CinemaGamut", "D-Log", "D-Gamut", "V-Log", "V-Gamut",
    "Log3G10", "RED", "S-Log", "S-Gamut", "Venice", "sRGB", "Gamma", "AdobeRGB", "P3", "Rec.",
)  # fmt: skip
ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)


@lru_cache(maxsize=4)
def config(name: str = STUDIO) -> ocio.Config:
    """A configuration: a built-in one's address, or the path of a facility's file.

    Raises HushError when it cannot be read.
    """
    if not name.startswith("ocio://") and not Path(name).exists():
        raise HushError(f"The colour configuration {Path(name).name} is missing; put it back.", "no-config")
    try:
        return ocio.Config.CreateFromFile(name)
    except ocio.Exception as error:
        raise HushError(
            f"The colour configuration {Path(name).name} cannot be read: {_first(error)}", "bad-config"
        ) from error


def names(of: str = STUDIO) -> list[str]:
    """Colour spaces that footage can be in; displays are not among them."""
    found = config(of)
    return [
        space.getName() for space in found.getColorSpaces()
        if not space.isData() and space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_SCENE
    ]  # fmt: skip


def offered(of: str = STUDIO) -> list[str]:
    """The colour spaces that a list for footage shows."""
    every = names(of)
    return [name for name in every if any(word in name for word in KNOWN)] if of.startswith("ocio://") else every


def views(of: str = STUDIO) -> dict[str, list[str]]:
    """Views by display, in the configuration's order."""
    found = config(of)
    return {display: list(found.getViews(display)) for display in found.getDisplays()}


@lru_cache(maxsize=64)
def between(source: str, target: str, of: str = STUDIO) -> ocio.CPUProcessor:
    """A processor from one colour space (or role) to another. Raises HushError for names that do not exist."""
    try:
        return config(of).getProcessor(source, target).getDefaultCPUProcessor()
    except ocio.Exception as error:
        raise HushError(
            f"There is no way from {source} to {target} in this configuration: {_first(error)}", "bad-space"
        ) from error


@lru_cache(maxsize=32)
def to_view(source: str, display: str, view: str, of: str = STUDIO) -> ocio.CPUProcessor:
    """A processor from a colour space to what a display shows. Raises HushError for names that do not exist."""
    transform = ocio.DisplayViewTransform(src=source, display=display, view=view)
    try:
        return config(of).getProcessor(transform).getDefaultCPUProcessor()
    except ocio.Exception as error:
        raise HushError(
            f"There is no view {view!r} for {display!r} in this configuration: {_first(error)}", "bad-view"
        ) from error


def apply(processor: ocio.CPUProcessor, picture: F32) -> F32:
    """A processor on a float picture (..., 3); the input is not changed."""
    out = np.array(picture, np.float32, order="C")
    if out.size:
        processor.applyRGB(out.reshape(-1, 3))
    return out


def _first(error: Exception) -> str:
    lines = str(error).strip().splitlines()
    return lines[0][:160] if lines else "no reason given"
