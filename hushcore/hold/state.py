"""What a tracker measures on a frame, and what it keeps from one to the next."""

from dataclasses import dataclass, replace

import numpy as np

from hushcore.arrays import F32, F64

OFF_FRAME, NOT_READ = 10, 11  # codes of cells beyond 0..9


@dataclass
class Template:
    """A later frame that part of the template was taken from; ``share`` (cells): how much of it."""

    frame: int
    params: F64
    share: F32


@dataclass
class State:
    """All that a step needs from the steps before. ``sound``: (2, ...) the last parameters at which the ground was well
    seen, and those a frame before, ``unsound_for`` frames ago: where a surface that is lost is thought to go on from."""

    params: F64
    previous: F64
    steps: int
    baseline: F32
    first_mean: F32
    seen: F32
    lost_for: int = 0
    small: F32 | None = None
    template: Template | None = None
    renewed_for: int = 0
    cut_for: int = 0
    sound: F64 | None = None
    unsound_for: int = 0

    def arrays(self) -> dict[str, np.ndarray]:
        """For storing; see ``from_arrays``."""
        out = {
            "params": self.params, "previous": self.previous, "baseline": self.baseline,
            "first_mean": self.first_mean, "seen": self.seen,
            "counts": np.array([self.steps, self.lost_for, self.renewed_for, self.cut_for, self.unsound_for]),
        }  # fmt: skip
        if self.sound is not None:
            out["sound"] = self.sound
        if self.small is not None:
            out["small"] = self.small
        if self.template is not None:
            out |= {
                "template_frame": np.array(self.template.frame), "template_params": self.template.params,
                "template_share": self.template.share,
            }  # fmt: skip
        return out

    @staticmethod
    def from_arrays(stored: dict[str, np.ndarray]) -> "State":
        """The reverse of ``arrays``; ``Tracker.restore`` also takes the template up again."""
        # states kept by versions before had fewer counts
        counts = [*(int(count) for count in stored["counts"]), 0, 0, 0][:5]
        steps, lost_for, renewed_for, cut_for, unsound_for = counts
        taken = None
        if "template_frame" in stored:
            taken = Template(int(stored["template_frame"]), stored["template_params"], stored["template_share"])
        return State(
            stored["params"], stored["previous"], steps, stored["baseline"], stored["first_mean"], stored["seen"],
            lost_for, stored.get("small"), taken, renewed_for, cut_for, stored.get("sound"), unsound_for,
        )  # fmt: skip


@dataclass(frozen=True)
class Measured:
    """One frame's hold.

    ``drift``: px per cell, ``drift_rms`` over the ground; ``cells``: how far each was used, 0..9, or ``OFF_FRAME`` or
    ``NOT_READ``; ``seen``: share of the ground; ``trouble``: a key of ``trouble.WORDS`` or nothing.
    """

    params: F64
    drift: F32
    drift_rms: float
    cells: np.ndarray
    seen: float
    lost: bool
    trouble: str = ""

    def off_by(self, rms: float) -> "Measured":
        """The same with another figure of drift, that of its cells in proportion."""
        share = np.float32(rms / max(self.drift_rms, 1e-6))
        return replace(self, drift=self.drift * share, drift_rms=rms)
