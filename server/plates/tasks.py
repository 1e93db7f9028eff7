"""Pictures that came back for a fix go with it."""

import shutil

from django.db import transaction
from django.dispatch import receiver
from fixes.models import Fix
from fixes.signals import fix_goes

from plates.root import plates_root


@receiver(fix_goes)
def clear(fix: Fix, **_: object) -> None:
    """Take the pictures off the disk once it is sure that the fix goes."""
    pictures = plates_root() / str(fix.id)
    transaction.on_commit(lambda: shutil.rmtree(pictures, ignore_errors=True))
