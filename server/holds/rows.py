"""Measured frames and trackers' states as rows and bytes."""

import io
from dataclasses import asdict

import numpy as np
from events.tell import tell

from holds.models import Hold, HoldFrame
from hushcore.hold.record import HoldFrame as EngineFrame
from hushcore.hold.record import frame_plain
from hushcore.hold.report import note_of
from hushcore.plates.choose import Clarity


def row_of(hold: Hold, number: int, frame: EngineFrame, clear: Clarity | None = None) -> HoldFrame:
    """A measured frame as a row."""
    note = note_of(frame, (hold.corner[0], hold.corner[1]) if hold.corner else (0, 0))
    return HoldFrame(
        hold=hold, frame=number, data=frame_plain(frame), drift_rms=frame.drift_rms, seen=frame.seen, lost=frame.lost,
        trouble=frame.trouble, how=frame.how, hidden=note.hidden, off=note.off, place=note.place,
        worth=clear.worth if clear else 0.0, clarity=asdict(clear) if clear else None,
    )  # fmt: skip


def keep(hold: Hold, number: int, frame: EngineFrame, clear: Clarity | None = None) -> None:
    """Store a frame, in place of what this hold already knew of it."""
    row = row_of(hold, number, frame, clear)
    fields = [field.name for field in HoldFrame._meta.concrete_fields if field.name not in ("id", "hold", "frame")]
    HoldFrame.objects.bulk_create(
        [row], update_conflicts=True, unique_fields=["hold", "frame"], update_fields=fields
    )  # fmt: skip
    tell(
        "held", hold=hold.id, fix=hold.fix_id, shot=hold.fix.shot_id, frame=number,
        drift=round(frame.drift_rms, 2), lost=frame.lost,
    )  # fmt: skip


def pack_state(arrays: dict[str, np.ndarray]) -> bytes:
    """A tracker's state as bytes."""
    buffer = io.BytesIO()
    np.savez(buffer, **arrays)  # type: ignore[arg-type]
    return buffer.getvalue()


def unpack_state(data: bytes) -> dict[str, np.ndarray]:
    """The reverse of ``pack_state``."""
    with np.load(io.BytesIO(data), allow_pickle=False) as stored:
        return {name: stored[name] for name in stored.files}
