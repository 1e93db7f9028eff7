"""What workers do for reviews: the pictures of what was sent, so that it plays at its rate when it is opened."""

from contextlib import suppress

from fixes.stack import kept_if
from procrastinate.contrib.django import app

from hushcore.errors import HushError
from reviews.models import Version
from reviews.pictures import SHOWN, Versioned
from reviews.versions import needs

kept_if(needs)  # what versions need is not cleared with fixes that were taken away


@app.task(queue="default", name="show_version")
def show_version(version: int, first: int, last: int) -> None:
    """Make the pictures of first..last; frames that cannot be read are passed over."""
    found = Version.objects.select_related("shot__clip", "shot__job").filter(id=version).first()
    if found is None:
        return
    with suppress(HushError):
        made = Versioned(found)
        for frame in range(first, last + 1):
            with suppress(HushError):  # the frame says so itself where it is looked at
                made.picture(frame, SHOWN)
