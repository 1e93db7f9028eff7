"""Short names for plain data: what a picture or a measure was made of."""

import hashlib
import json
from typing import Any


def digest(data: Any) -> str:
    """A short name for plain data."""
    return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()[:24]


def recipe_of(document: dict[str, Any]) -> dict[str, Any]:
    """The parts of a document that change pixels."""
    return {name: value for name, value in document.items() if name not in ("name", "plate", "protect", "proposed")}
