"""The demo's person, and where a newcomer may be one."""

from django.conf import settings
from django.contrib.auth.models import User

LOOPBACK = ("127.0.0.1", "::1")
DEMO_USER = "demo"


def demo_person(address: str) -> User | None:
    """Who works in the demo, for someone at this address; None where the demo is not open."""
    if not settings.DEMO or address not in LOOPBACK:
        return None
    return User.objects.filter(username=DEMO_USER, is_active=True).first()
