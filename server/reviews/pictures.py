"""Pictures of versions, as they are looked at with the look of then; made once, by whoever asks first."""

from jobs.models import Shot
from jobs.pictures import as_bytes, codes_of, kept
from jobs.viewing import VIEW_WIDTH, View, look_name, seen
from laying import ready, stood

from hushcore.errors import HushError
from hushcore.patch.lay import lay_all
from reviews.models import Version

SHOWN = View(width=VIEW_WIDTH)  # what the player asks for


class Versioned:
    """A version made ready: its frames can be asked for one after the other."""

    def __init__(self, version: Version) -> None:
        self.shot: Shot = version.shot
        self.shot.look = version.look
        self.then = stood.as_it_stood(self.shot, version.entries)
        self.layers: list[ready.Layer] = ready.layers(self.then)

    def picture(self, frame: int, view: View) -> bytes:
        """A frame as JPEG. Raises HushError for one that is not in the shot, or that cannot be read."""
        if not self.shot.first <= frame <= self.shot.last:
            raise HushError(f"Frame {frame} is not in this shot.", "no-frame")
        lying = [(layer, fix) for layer, fix in stood.on_frame(self.layers, frame) if fix.hold.has(frame)]

        def make() -> bytes:
            codes = codes_of(self.shot.clip.media(), frame)
            laid = lay_all(codes, frame, [fix for _, fix in lying])[0]
            return as_bytes(seen(laid, self.shot, view), "jpg")

        if view.part is not None:
            return make()
        key = f"version {stood.name_of(self.then, lying, frame)} {look_name(self.shot)} {view.name}"
        return kept(self.shot.id, key, "jpg", make)
