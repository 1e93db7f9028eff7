"""Events for the open screens, sent with the change itself."""

import json
from typing import Any

from django.db import connection

CHANNEL = "hush"


def tell(kind: str, **facts: Any) -> None:
    """Send an event with the current transaction (at commit). Facts must be short: under 8 kB in all."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, json.dumps({"kind": kind, **facts})])
