"""What a shot says of its own light, grain and shutter: read once a hold, kept, and the same for all who lay the fix."""

from fixes import actions
from fixes.models import Evidence as Row
from fixes.models import Fix, Hold
from hushcore.patch.evidence import gather
from hushcore.patch.plan import Evidence


def root_of(hold: Hold) -> int:
    """The measurement that a hold's corrections go back to: correcting a hold does not change what the shot says."""
    return int(hold.line[0]) if hold.line else hold.id


def of(fix: Fix, hold: Hold) -> Evidence:
    """The evidence for a fix; before its hold has been measured to the end, the plain one."""
    found = fix.evidence.filter(key=_key(fix, hold)).first()
    if found is not None:
        return Evidence.of(found.data)
    root = Hold.objects.filter(id=root_of(hold)).first() or hold
    if root.running or hold.running or not fix.document["edge"]["outlines"]:
        return Evidence()
    return read(fix, hold)


def read(fix: Fix, hold: Hold) -> Evidence:
    """Look at the shot and keep what it says."""
    from fixes import ready

    engine = hold.engine()
    edge = actions.edge_data(fix.document).edge()
    said = gather(lambda frame: ready.codes_below(fix, frame), engine, edge, fix.shot.clip.encoding)
    Row.objects.update_or_create(fix=fix, key=_key(fix, hold), defaults={"data": said.plain()})
    return Evidence.of(said.plain())  # rounded as it is kept, so that the first look is the same as all others


def _key(fix: Fix, hold: Hold) -> str:
    from fixes.ready import digest

    return digest([root_of(hold), str(fix.shot.clip.encoding)])
