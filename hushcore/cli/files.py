"""Files that commands write: whole or not at all."""

import json
import os
from pathlib import Path
from typing import Any

from hushcore.errors import HushError


def write_json(path: Path, data: Any) -> None:
    """Write data as JSON. Raises HushError when it cannot be written; nothing half-written is left."""
    write_text(path, json.dumps(data, separators=(",", ":")))


def write_text(path: Path, text: str) -> None:
    """Write text. Raises HushError when it cannot be written; nothing half-written is left."""
    part = path.with_name(f".{path.name}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        part.write_text(text)
        os.replace(part, path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise HushError(f"{path.name} could not be written: {error.strerror or error}.", "disk-full") from error


def range_of(text: str | None, first: int, last: int) -> tuple[int, int]:
    """The frames of ``A-B``; all of them where nothing is asked for. Raises HushError for what is no range."""
    if text is None:
        return first, last
    try:
        low, high = (int(part) for part in text.split("-"))
    except ValueError as error:
        raise HushError(f"{text!r} is not a range; write it like 1001-1096.", "bad-range") from error
    return low, high
