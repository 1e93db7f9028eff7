"""The running application as a person meets it: first page, frames cold and warm, a stroke's settle, playing, memory.

Needs ``bin/start`` running with the demo; it makes a fix of its own on the demo shot and takes it away again.
``--hours H`` works on all shots for so long first, so that the memory is what a working day leaves.
"""

import math
import random
import shutil
import statistics
import time
from pathlib import Path

import httpx
from playwright.sync_api import sync_playwright

MANY = 500
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]


def run(address: str, var: Path, hours: float = 0) -> None:
    """Print the table. Empties the proxy store first, so that cold is cold."""
    shutil.rmtree(var / "proxies", ignore_errors=True)
    client = httpx.Client(base_url=address, timeout=120)
    client.headers["X-CSRFToken"] = client.get("/api/session").json()["csrf"]
    shot = client.get("/api/jobs").json()[0]["shots"][0]
    rows = [*frames(client, shot), *bringing_in(client, shot), *settle(client, shot), *pages(address)]
    work(client, hours)
    rows += memory()
    print("\n| the application                     | median | worst | target |")
    print("|---|---|---|---|")
    for name, values, target in rows:
        print(f"| {name:35} | {statistics.median(values):6.0f} | {max(values):5.0f} | {target:>6} |")


def timed(do) -> float:
    began = time.perf_counter()
    answer = do()
    assert answer.status_code < 300, answer.text[:200]
    return 1000 * (time.perf_counter() - began)


def frames(client: httpx.Client, shot: dict) -> list[tuple[str, list[float], str]]:
    """Each frame asked for twice: the first time it is read, decoded and encoded."""
    numbers = range(shot["clip"]["first"], shot["clip"]["first"] + 20)
    cold, warm = [], []
    for number in numbers:
        clip = f"/pictures/shots/{shot['id']}/frames/{number}.jpg"
        cold.append(timed(lambda clip=clip: client.get(clip)))
        warm.append(timed(lambda clip=clip: client.get(clip)))
    return [("a frame of the shot, cold, ms", cold, "100"), ("a frame of the shot, warm, ms", warm, "20")]


def bringing_in(client: httpx.Client, shot: dict) -> list[tuple[str, list[float], str]]:
    """How long a frame takes that is asked for while workers make the proxies of all shots."""
    for job in client.get("/api/jobs").json():
        for other in job["shots"]:
            client.delete(f"/api/shots/{other['id']}/proxies")
            client.post(f"/api/shots/{other['id']}/proxies")
    time.sleep(1)
    clip, rng = shot["clip"], random.Random(3)
    numbers = [rng.randint(clip["first"], clip["last"]) for _ in range(40)]
    waits = [timed(lambda n=n: client.get(f"/pictures/shots/{shot['id']}/frames/{n}.jpg?wide=1280")) for n in numbers]
    return [("a frame while footage comes in, ms", waits, "500")]


def memory() -> list[tuple[str, list[float], str]]:
    """Resident memory of the server and of each worker, MB (from /proc; on this machine alone)."""
    found: dict[str, list[float]] = {"server": [], "worker": []}
    masters, children = set(), []
    for place in Path("/proc").glob("[0-9]*"):
        try:
            words = (place / "cmdline").read_bytes().decode().split("\0")
            status = (place / "status").read_text()
        except OSError:
            continue  # it has ended meanwhile
        if "python" not in words[0] or "VmRSS:" not in status:
            continue
        size, parent = (int(status.split(f"{name}:")[1].split()[0]) for name in ("VmRSS", "PPid"))
        if "config.asgi:application" in words:
            masters.add(place.name)
            found["server"].append(size / 1024)
        elif "procrastinate" in words:
            found["worker"].append(size / 1024)
        elif any("multiprocessing.spawn" in word for word in words):
            children.append((str(parent), size / 1024))
    found["server"] += [size for parent, size in children if parent in masters]  # several web processes
    targets = {"server": "1000", "worker": "700"}
    return [(f"memory of the {kind}, MB", values, targets[kind]) for kind, values in found.items() if values]


def work(client: httpx.Client, hours: float) -> None:
    """What an artist does all day, without pausing: look at frames of every shot, as shot and patched, close and whole."""
    rng, until = random.Random(1), time.monotonic() + 3600 * hours
    shots = [shot for job in client.get("/api/jobs").json() for shot in job["shots"]]
    while time.monotonic() < until:
        shot = rng.choice(shots)
        first, last = shot["clip"]["first"], shot["clip"]["last"]
        at = rng.randint(first, last)
        for number in range(at, min(at + 24, last + 1)):
            for what in ("frames", "patched"):
                client.get(f"/pictures/shots/{shot['id']}/{what}/{number}.jpg?wide=1280&v={rng.random()}")
        part = {"x": 300, "y": 200, "w": 640, "h": 360}
        client.get(f"/pictures/shots/{shot['id']}/patched/{at}.png", params=part)
        for fix in client.get(f"/api/shots/{shot['id']}/fixes").json():
            client.get(f"/pictures/fixes/{fix['id']}/still/{at}.jpg?patched=1&v={rng.random()}")
            client.get(f"/pictures/fixes/{fix['id']}/plate.png?v={rng.random()}")


def settle(client: httpx.Client, shot: dict) -> list[tuple[str, list[float], str]]:
    """From letting go of the brush to having the engine's own pixels: the stroke and the part it touched."""
    loop = [[558 + 106 * math.cos(t / 10), 314 + 106 * math.sin(t / 10)] for t in range(62)]
    fix = client.post(f"/api/shots/{shot['id']}/circle", json={"frame": 1049, "loop": loop}).json()
    fix = client.patch(f"/api/fixes/{fix['id']}/plate", json={"version": fix["version"], "frame": 1049}).json()
    while client.get(f"/api/holds/{fix['hold']['id']}").json()["state"] in ("waiting", "tracking"):
        time.sleep(1)
    client.get(f"/pictures/fixes/{fix['id']}/plate.png")
    rows = []
    for count in (0, MANY):
        fix = fill_up(client, fix, count)
        rows.append((f"a stroke's settle, {count} strokes there, ms", strokes(client, fix), "150"))
        fix = client.get(f"/api/fixes/{fix['id']}").json()
    rows += patched_playing(client, shot, fix["id"])
    fix = client.get(f"/api/fixes/{fix['id']}").json()
    client.request("DELETE", f"/api/fixes/{fix['id']}", params={"version": fix["version"]})
    return rows


def patched_playing(client: httpx.Client, shot: dict, fix: int) -> list[tuple[str, list[float], str]]:
    """Frames dropped in the first round of the patched shot, once its tells are measured."""
    for _ in range(600):
        tells = client.get(f"/api/fixes/{fix}/tells").json()
        if tells["frames"] and not tells["waiting"]:
            break
        time.sleep(1)
    clip = shot["clip"]
    seconds = (clip["last"] - clip["first"] + 1) * clip["rate_den"] / clip["rate_num"]
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{str(client.base_url).rstrip('/')}/shots/{shot['id']}")
        page.get_by_role("button", name="Choose").last.wait_for()
        page.wait_for_timeout(2000)
        page.keyboard.press("Space")
        page.wait_for_timeout(1000 * (seconds - 0.3))
        page.keyboard.press("Space")
        shown = page.get_by_test_id("speed").inner_text()
        browser.close()
    return [("dropped in the first patched round", [float(shown.split(", ")[1].split(" ")[0])], "0")]


def fill_up(client: httpx.Client, fix: dict, count: int) -> dict:
    """A plate with ``count`` small strokes on it."""
    for k in range(len(fix["strokes"]), count):
        x, y = 450 + (k * 37) % 220, 210 + (k * 53) % 200
        stroke = {"kind": "clone", "points": [[x, y, 1], [x + 6, y + 9, 1]], "radius": 9, "donor": {"offset": [14, 40]}}
        fix = client.post(f"/api/fixes/{fix['id']}/strokes", json={"version": fix["version"], "stroke": stroke}).json()
    client.get(f"/pictures/fixes/{fix['id']}/plate.png")
    return fix


def strokes(client: httpx.Client, fix: dict) -> list[float]:
    """Times from letting go of the brush to the engine's own pixels."""
    found = []
    for k in range(12):
        x, y = 500 + 10 * k, 260
        stroke = {
            "kind": "clone",
            "points": [[x, y, 1], [x + 20, y + 90, 1]],
            "radius": 24,
            "donor": {"offset": [0, 190]},
        }
        began = time.perf_counter()
        fix = client.post(f"/api/fixes/{fix['id']}/strokes", json={"version": fix["version"], "stroke": stroke}).json()
        part = {"v": fix["version"], "x": x - 26, "y": y - 26, "w": 74, "h": 144}
        client.get(f"/pictures/fixes/{fix['id']}/plate.png", params=part).raise_for_status()
        found.append(1000 * (time.perf_counter() - began))
    return found


def pages(address: str) -> list[tuple[str, list[float], str]]:
    """The first page until its shots can be clicked, in a new browser each time; then playing the source."""
    first, rate = [], []
    with sync_playwright() as play:
        for _ in range(3):
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            began = time.perf_counter()
            page.goto(address)
            page.get_by_role("button", name="Open 040 apron").wait_for()
            first.append(1000 * (time.perf_counter() - began))
            page.get_by_role("button", name="Open 040 apron").click()
            page.get_by_role("radio", name="Source").click()
            page.keyboard.press("Space")
            page.wait_for_timeout(9000)  # the second time round everything has been fetched
            page.keyboard.press("Space")
            page.keyboard.press("Space")
            page.wait_for_timeout(3500)
            shown = page.get_by_test_id("speed").inner_text()
            rate.append(float(shown.split(" ")[0]))
            browser.close()
    return [("the first page usable, ms", first, "2000"), ("playing the source, frames a second", rate, "24")]
