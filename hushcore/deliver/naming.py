"""Names of delivered files, from a pattern such as ``{shot}_{piece}/{shot}.####``."""

import re
from collections.abc import Mapping
from pathlib import PurePosixPath

from hushcore.errors import HushError

TOKENS = ("clip", "shot", "job", "fix", "piece", "number")
FRAME = re.compile(r"#+")
_TOKEN = re.compile(r"\{([^{}]*)\}")
_SAFE = re.compile(r"[^A-Za-z0-9._-]+")
MOST = 200  # bytes of a name


def plain(name: str) -> str:
    """A name as it can stand in a file's name on any system."""
    return _SAFE.sub("-", name).strip("-.") or "unnamed"


def distinct(names: list[str]) -> list[str]:
    """The names made plain, later ones numbered where two would be the same."""
    made: list[str] = []
    for name in map(plain, names):
        count, known = 2, {other.lower() for other in made}
        wanted = name
        while wanted.lower() in known:
            wanted, count = f"{name}-{count}", count + 1
        made.append(wanted)
    return made


def check(pattern: str, pictures: bool) -> None:
    """Raises HushError for a pattern that leaves the folder, says nothing about the frame, or cannot be understood."""
    for token in _TOKEN.findall(pattern):
        if token not in TOKENS:
            raise HushError(
                f"A name has no part {{{token}}}; there are {', '.join('{' + name + '}' for name in TOKENS)}, and #### for "
                "the frame's number.",
                "bad-pattern",
            )
    rest = _TOKEN.sub("x", FRAME.sub("1", pattern))
    parts = PurePosixPath(rest).parts
    if not parts or rest.endswith("/") or rest.startswith("/") or any(part.startswith(".") for part in parts):
        raise HushError(
            f"{pattern!r} does not stay inside the delivery's folder; write it like {{shot}}.####.", "bad-pattern"
        )
    if any(_SAFE.search(part) for part in parts) or max(len(part) for part in parts) > MOST:
        raise HushError(
            f"{pattern!r} holds what cannot stand in a file's name everywhere; use letters, digits, . _ and -.",
            "bad-pattern",
        )
    if pictures and not FRAME.search(pattern):
        raise HushError(
            f"{pattern!r} gives every frame the same name; put #### where the frame's number goes.", "bad-pattern"
        )


def name(pattern: str, words: Mapping[str, str], frame: int | None, suffix: str) -> str:
    """The relative path of a file. ``frame``: None for a movie, whose name needs no number."""
    made = _TOKEN.sub(lambda found: plain(words.get(found[1], "")), pattern)
    if frame is None:
        made = re.sub(r"[._-]?#+", "", made)
        return (made or words.get("clip", "movie")) + suffix
    return FRAME.sub(lambda found: f"{frame:0{len(found[0])}d}", made) + suffix
