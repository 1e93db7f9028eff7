"""The engine's dataclasses as the API's schemas, so that a field is named once."""

from dataclasses import MISSING, fields
from typing import Any, get_type_hints

from ninja import Schema
from pydantic import create_model


def as_schema(name: str, source: type, doc: str, without: set[str] = frozenset(), **other: tuple[Any, Any]) -> Any:  # type: ignore[assignment]
    """A schema with a dataclass's fields and defaults, some left out, some of another type, some more."""
    hints = get_type_hints(source)
    known: dict[str, Any] = {}
    for one in fields(source):
        if one.name in without:
            continue
        default = one.default if one.default is not MISSING else ...
        if one.default_factory is not MISSING:
            default = one.default_factory()
        known[one.name] = (hints[one.name], default)
    return create_model(name, __base__=Schema, __doc__=doc, **{**known, **other})
