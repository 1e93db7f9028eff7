"""Tracks in and out in open forms: a CSV of points, a 3 x 3 matrix a frame. The full hold is JSON (see ``record``)."""

import csv
import io
import json
import math
from collections.abc import Sequence

import numpy as np

from hushcore.arrays import F64
from hushcore.errors import HushError
from hushcore.geometry import homography
from hushcore.hold.confidence import CELL
from hushcore.hold.record import Hold, HoldFrame
from hushcore.hold.state import NOT_READ

HEADER = ["frame", "id", "x", "y", "confidence"]
SMALLEST_BOX = 32.0  # px round an imported point that counts as its ground
LARGEST_FILE = 20_000_000  # characters


def points_csv(hold: Hold, names: Sequence[str], at: F64) -> str:
    """Still points (n, 2) carried through the hold: columns ``HEADER``.

    Confidence is 1 / (1 + drift in px), 0 on a lost frame.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADER)
    for number in sorted({*hold.frames, hold.anchor}):
        lost = number in hold.frames and hold.frames[number].lost
        sure = np.zeros(len(at)) if lost else 1 / (1 + hold.drift_at(number, at))
        for name, place, trust in zip(names, hold.at(number).forward(at), sure, strict=True):
            writer.writerow([number, name, f"{place[0]:.4f}", f"{place[1]:.4f}", f"{trust:.4f}"])
    return out.getvalue()


def matrices_json(hold: Hold, corners: F64) -> str:
    """A 3 x 3 matrix a frame, row by row, from anchor-frame px to frame px, as JSON.

    A mesh gives the plane nearest to it at ``corners`` (n, 2).
    """
    frames = {}
    for number in sorted({*hold.frames, hold.anchor}):
        held = hold.at(number)
        matrix = homography.fit(corners, held.forward(corners)) if hold.bends else hold.params_at(number)
        frames[str(number)] = np.round(matrix, 9).tolist()
    return json.dumps({
        "anchor": hold.anchor, "size": list(hold.size), "from": "anchor-frame pixels", "to": "frame pixels",
        "exact": not hold.bends, "frames": frames,
    }, separators=(",", ":"))  # fmt: skip


def read_points(text: str) -> dict[str, dict[int, tuple[float, float]]]:
    """Tracks of a CSV with the columns frame, x, y and perhaps id: id to frame to place (px).

    Raises HushError with the line of the first mistake.
    """
    if len(text) > LARGEST_FILE:
        raise HushError("This track file is larger than 20 MB; split it.", "bad-track")
    try:
        found = _tracks_of(csv.DictReader(io.StringIO(text.lstrip("\ufeff")), skipinitialspace=True))
    except csv.Error as error:
        raise HushError(f"This is not a track file ({error}).", "bad-track") from error
    if not found:
        raise HushError("This track file has no points in it.", "bad-track")
    return found


def _tracks_of(rows: "csv.DictReader[str]") -> dict[str, dict[int, tuple[float, float]]]:
    names = {(name or "").strip().lower(): name for name in rows.fieldnames or []}
    if not {"frame", "x", "y"} <= set(names):
        raise HushError("A track file needs the columns frame, x and y (and id for several points).", "bad-track")
    found: dict[str, dict[int, tuple[float, float]]] = {}
    for row in rows:
        name = (row.get(names.get("id", ""), "") or "").strip() or "1"
        try:
            frame, x, y = int(row[names["frame"]]), float(row[names["x"]]), float(row[names["y"]])
        except (TypeError, ValueError) as error:
            raise HushError(f"Line {rows.line_num} of the track is not frame, x, y in numbers.", "bad-track") from error
        if not (math.isfinite(x) and math.isfinite(y)) or max(abs(x), abs(y)) > 1e5:
            raise HushError(f"Line {rows.line_num} of the track holds a place that cannot be.", "bad-track")
        if frame in found.setdefault(name, {}):
            raise HushError(f"Frame {frame} comes twice for point {name} of the track.", "bad-track")
        found[name][frame] = (x, y)
    return found


def point_hold(
    track: dict[int, tuple[float, float]], anchor: int, size: tuple[int, int], first: int, last: int
) -> Hold:
    """A ``point`` hold from one imported track. Gaps inside it are bridged evenly.

    Raises HushError when the track has no place on the anchor frame. Frames beyond its ends are not held.
    """
    if anchor not in track:
        raise HushError(
            f"The track has no place on the anchor frame {anchor}; choose a frame that it has.", "bad-track"
        )
    known = sorted(track)
    frames = [n for n in range(max(first, known[0]), min(last, known[-1]) + 1)]
    xs = np.interp(frames, known, [track[n][0] for n in known])
    ys = np.interp(frames, known, [track[n][1] for n in known])
    home = np.array(track[anchor])
    corner = (int(home[0] - SMALLEST_BOX / 2), int(home[1] - SMALLEST_BOX / 2))
    cells = math.ceil(SMALLEST_BOX / CELL)
    hold = Hold("point", anchor, size, None, corner)
    for number, x, y in zip(frames, xs, ys, strict=True):
        if number == anchor:
            continue
        params = np.eye(3)
        params[:2, 2] = np.array([x, y]) - home
        bridged = number not in track
        hold.frames[number] = HoldFrame(
            params, np.zeros((cells, cells), np.float32), 0.0, 0.0 if bridged else 1.0, False,
            np.full((cells, cells), NOT_READ if bridged else 9, np.uint8),
        )  # fmt: skip
    return hold
