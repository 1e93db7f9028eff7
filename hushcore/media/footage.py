"""Footage of any kind, opened the same way."""

from fractions import Fraction
from pathlib import Path

from hushcore.media.clips import Clip, open_clip
from hushcore.media.movie_header import SUFFIXES
from hushcore.media.movies import Movie, open_movie

Footage = Clip | Movie


def open_footage(place: str | Path, first: int = 0, rate: Fraction | None = None) -> Footage:
    """A movie file, or an image sequence by its folder, pattern or one of its frames.

    ``first`` and ``rate`` are for movies; sequences carry their own numbers. Raises HushError when there is none.
    """
    place = Path(place)
    if place.suffix.lower() in SUFFIXES:
        return open_movie(place, first, rate)
    return open_clip(place)
