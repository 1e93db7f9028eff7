"""The house under load: what a delivery costs beside bare reading and writing, how it grows with workers, and how long people
wait while others look and paint.

``python -m bench service --address ADDRESS`` looks and paints on a running house with the demo; without one it only delivers.
"""

import asyncio
import multiprocessing
import os
import random
import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cv2
import httpx
import numpy as np

from bench.app import memory
from hushcore.colour.encoding import Encoding
from hushcore.deliver.frames import deliver_chunk
from hushcore.deliver.pieces import Order, Piece, order
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold, HoldFrame
from hushcore.media.clips import Clip, open_clip
from hushcore.media.pictures import alone, read_codes, write_codes, write_like
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate

CHUNK, ROUNDS = 8, 2
MARK = 0.1  # of the picture's width
LOOKERS, SECONDS = 20, 60
_work: dict[str, Any] = {}


def clip_of(folder: Path, size: tuple[int, int], suffix: str, depth: str, count: int) -> Clip:
    """Soft pictures with grain, as large as asked for."""
    width, height = size
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    base = 0.4 + 0.2 * np.sin(x / 97) + 0.1 * np.cos(y / 61)
    for frame in range(1001, 1001 + count):
        grey = base + rng.normal(0, 0.01, base.shape).astype(np.float32)
        made = np.clip(np.stack([grey, grey * 0.9, grey * 0.8], -1), 0, 1)
        codes = made.astype(depth) if depth == "float16" else np.round(made * 65535).astype(depth)
        write_codes(folder / f"big.{frame:04d}{suffix}", codes)
    return open_clip(folder)


def fix_of(clip: Clip, encoding: Encoding) -> Fix:
    """One fix with the usual matching, on a plane that moves by a pixel a frame."""
    held = np.full((clip.height // 16 + 1, clip.width // 16 + 1), 0.1, np.float32)
    frames = {
        n: HoldFrame(np.array([[1, 0, n - clip.first], [0, 1, 0], [0, 0, 1.0]]), held, 0.1, 1.0, False)
        for n in clip.frames if n != clip.first
    }  # fmt: skip
    hold = Hold("planar", clip.first, (clip.width, clip.height), None, (0, 0), frames)
    plate = make_plate(clip.read(clip.first), hold, clip.first, [], None, encoding)
    painted = plate.painted * np.float32(1.2)
    turns = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    radius = MARK * clip.width / 2
    outline = np.stack([clip.width / 2 + radius * np.cos(turns), clip.height / 2 + radius * np.sin(turns)], -1)
    plan = Plan(Edge.of(outline, 0, 8), Match("under"))
    return make_fix(hold, plan, [(clip.first, replace(plate, painted=painted))])


def _deliver(frames: list[int]) -> None:
    deliver_chunk(_work["ready"], frames, lambda _: [("mark", _work["fix"])], _work["folder"], lambda *_: True)


def _bare(frames: list[int]) -> None:
    """Read, write, read back: what any program must do that looks at what it wrote."""
    clip, folder = _work["clip"], _work["folder"]
    for frame in frames:
        write_like(clip.path(frame), folder / clip.file(frame), clip.read(frame))
        read_codes(folder / clip.file(frame))


def _timed(work: Callable[[list[int]], None], clip: Clip, processes: int, var: Path) -> float:
    folder = Path(tempfile.mkdtemp(dir=var))
    _work["folder"] = folder
    chunks = [list(clip.frames[k : k + CHUNK]) for k in range(0, len(clip.frames), CHUNK)]
    began = time.perf_counter()
    with multiprocessing.get_context("fork").Pool(processes) as pool:
        pool.map(work, chunks, chunksize=1)
    spent = time.perf_counter() - began
    shutil.rmtree(folder)
    return spent


def delivering(var: Path) -> list[tuple[str, str, str]]:
    """Rows: what, figure, target. The best of some rounds, turn and turn about."""
    rows = []
    cv2.setNumThreads(1)
    alone()
    for words, size, suffix, depth, target in (
        ("1080p, 16-bit TIFF", (1920, 1080), ".tif", "uint16", "1.15"),
        ("4K, EXR half", (3840, 2160), ".exr", "float16", "1.2"),
    ):
        source = Path(tempfile.mkdtemp(dir=var))
        encoding = Encoding("linear" if depth == "float16" else "srgb", 16)
        clip = clip_of(source, size, suffix, depth, 48 if size[0] < 2000 else 16)
        ready: Order = order(clip, encoding, [Piece()], ["mark"], {"clip": "big"})
        _work.update(clip=clip, ready=ready, fix=fix_of(clip, encoding))
        times: dict[str, list[float]] = {"bare": [], "deliver": [], "one": []}
        for _ in range(ROUNDS):
            times["bare"].append(_timed(_bare, clip, 2, var))
            times["deliver"].append(_timed(_deliver, clip, 2, var))
            times["one"].append(_timed(_deliver, clip, 1, var))
        best = {name: min(values) for name, values in times.items()}
        shutil.rmtree(source)
        rows.append((f"deliver {words}, two workers, over bare", f"{best['deliver'] / best['bare']:.2f}", target))
        rows.append((f"deliver {words}, two workers over one", f"{best['one'] / best['deliver']:.2f}", "1.8"))
    return rows


@dataclass(frozen=True)
class Place:
    """Where somebody circles a mark of the demo and paints."""

    shot: str
    frame: int
    middle: tuple[float, float]
    radius: float


PLACES = (
    Place("040 apron", 1049, (558, 314), 106), Place("110 arm", 30, (1008, 246), 30), Place("150 yard", 40, (640, 360), 60),
    Place("060 wall", 86420, (640, 360), 80),
)  # fmt: skip


class Person:
    """Somebody at a screen."""

    def __init__(self, address: str) -> None:
        self.client = httpx.AsyncClient(base_url=address, timeout=60)
        self.waits: list[float] = []
        self.patched: list[float] = []  # ms, for patched frames
        self.errors = 0

    async def sign_in(self) -> None:
        """As the demo's first person."""
        self.client.headers["X-CSRFToken"] = (await self.client.get("/api/session")).json()["csrf"]

    async def timed(self, sent: Any, waits: list[float]) -> httpx.Response:
        """A call, its time kept in ``waits``; what fails is counted."""
        began = time.perf_counter()
        answer: httpx.Response = await sent
        waits.append(1000 * (time.perf_counter() - began))
        self.errors += answer.status_code >= 500
        return answer


async def look(person: Person, shot: dict[str, Any], until: float, rng: random.Random, strokes: dict[int, int]) -> None:
    """Two frames a second, as shot and patched; the address names the state that the screen knows of."""
    clip = shot["clip"]
    while time.monotonic() < until:
        frame, what = rng.randint(clip["first"], clip["last"]), rng.choice(("frames", "patched"))
        began = time.monotonic()
        state = f"&v={strokes.get(shot['id'], 0)}" if what == "patched" else ""
        address = f"/pictures/shots/{shot['id']}/{what}/{frame}.jpg?l={shot['look_name']}&wide=1280{state}"
        await person.timed(person.client.get(address), person.patched if what == "patched" else person.waits)
        await asyncio.sleep(max(0.0, 0.5 - (time.monotonic() - began)))


async def paint(
    person: Person, shot: int, fix: dict[str, Any], place: Place, until: float, rng: random.Random,
    strokes: dict[int, int],
) -> None:  # fmt: skip
    """A stroke every two seconds on a fix of one's own, and the engine's pixels of it."""
    while time.monotonic() < until:
        x, y = (round(middle + rng.uniform(-0.7, 0.7) * place.radius) for middle in place.middle)
        stroke = {
            "kind": "clone",
            "points": [[x, y, 1], [x + 20, y + 30, 1]],
            "radius": 12,
            "donor": {"offset": [14, 60]},
        }
        began = time.perf_counter()
        answer = await person.client.post(
            f"/api/fixes/{fix['id']}/strokes", json={"version": fix["version"], "stroke": stroke}
        )
        person.errors += answer.status_code >= 400
        if answer.status_code < 300:
            fix = answer.json()
            strokes[shot] = strokes.get(shot, 0) + 1
        part = {"v": fix["version"], "x": x - 20, "y": y - 20, "w": 60, "h": 80}
        picture = await person.client.get(f"/pictures/fixes/{fix['id']}/plate.png", params=part)
        person.errors += picture.status_code >= 400
        person.waits.append(1000 * (time.perf_counter() - began))
        await asyncio.sleep(2)


async def _circled(person: Person, shot: int, place: Place) -> dict[str, Any]:
    """A fix of one's own, held, with its plate on the screen."""
    turns = np.linspace(0, 2 * np.pi, 62, endpoint=False)
    loop = np.array(place.middle) + place.radius * np.stack([np.cos(turns), np.sin(turns)], -1)
    asked = {"frame": place.frame, "loop": loop.tolist(), "anew": True}
    fix: dict[str, Any] = (await person.client.post(f"/api/shots/{shot}/circle", json=asked)).json()
    while (await person.client.get(f"/api/holds/{fix['hold']['id']}")).json()["state"] in ("waiting", "tracking"):
        await asyncio.sleep(2)
    fix = (await person.client.get(f"/api/fixes/{fix['id']}")).json()
    wanted = {"version": fix["version"], "frame": place.frame}
    fix = (await person.client.patch(f"/api/fixes/{fix['id']}/plate", json=wanted)).json()
    await person.client.get(f"/pictures/fixes/{fix['id']}/plate.png")
    return fix


async def under_load(address: str) -> list[tuple[str, str, str]]:
    """Twenty who look and four who paint, for a minute."""
    first = Person(address)
    await first.sign_in()
    shots = [shot for job in (await first.client.get("/api/jobs")).json() for shot in job["shots"]]
    named = {shot["name"]: shot["id"] for shot in shots}
    fixes = [await _circled(first, named[place.shot], place) for place in PLACES]
    lookers, painters = [Person(address) for _ in range(LOOKERS)], [Person(address) for _ in PLACES]
    for person in (*lookers, *painters):
        await person.sign_in()
    until, rng, strokes = time.monotonic() + SECONDS, random.Random(5), dict[int, int]()
    await asyncio.gather(
        *(look(person, shots[k % len(shots)], until, rng, strokes) for k, person in enumerate(lookers)),
        *(
            paint(person, named[place.shot], fix, place, until, rng, strokes)
            for person, fix, place in zip(painters, fixes, PLACES, strict=True)
        ),
    )
    for fix in fixes:
        now = (await first.client.get(f"/api/fixes/{fix['id']}")).json()
        await first.client.delete(f"/api/fixes/{fix['id']}", params={"version": now["version"]})
    looks, settles = ([wait for person in people for wait in person.waits] for people in (lookers, painters))
    patched = [wait for person in lookers for wait in person.patched]
    errors = sum(person.errors for person in (*lookers, *painters))
    return [
        ("errors while 20 look and 4 paint", str(errors), "0"),
        ("a frame as shot, ms: median / worst", f"{statistics.median(looks):.0f} / {max(looks):.0f}", ""),
        ("a patched frame, ms: median / worst", f"{statistics.median(patched):.0f} / {max(patched):.0f}", ""),
        (
            "a stroke's settle, ms: median / worst",
            f"{statistics.median(settles):.0f} / {max(settles):.0f}",
            "400 / 1000",
        ),
    ]


def service(var: Path, address: str, load: bool) -> None:
    """Print the table."""
    rows = delivering(var)
    if load:
        rows += asyncio.run(under_load(address))
        rows += [(words, f"{max(values):.0f}", target) for words, values, target in memory()]
    print(f"\n| the house, {os.cpu_count()} cores | measured | target |\n|---|---|---|")
    for words, figure, target in rows:
        print(f"| {words} | {figure} | {target} |")
