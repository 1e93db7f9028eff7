"""Load the demo job: run with the server's settings (``python -m demo.load``); safe to run again.

``--behind MEDIA TRUTH`` renders what is not there yet as well, shot by shot and out of the way of whoever works, and loads
each as it is done; then what has happened in the job so far.
"""

import argparse
import os
import signal
import subprocess
import sys
from pathlib import Path

SHOTS = [
    (
        "040 apron", "apron", (24, 1), "Take the printed crest off the apron; she wears it in every shot.",
        {"timecode": "00:00:41:17"},
    ),
    (
        "060 wall", "wall/wall.#######.dpx", (25, 1), "The painted sign goes; someone walks past in front of it.",
        {"space": "acescct", "timecode": "00:57:36:01"},
    ),
    ("085 jug", "jug/jug.mov", (24000, 1001), "Lift the price sticker off; keep the glaze and its highlight.", {"first": 1001}),
    (
        "110 arm", "arm/arm.####.exr", (24, 1), "Scratch and mole off the forearm; leave the skin as it is.",
        {"timecode": "00:00:00:01"},
    ),
    ("130 bust", "bust/bust.mov", (25, 1), "The maker's stamp comes off the cheek before it turns away; mind the slats.", {}),
    ("150 yard", "yard/yard.mov", (25, 1), "Paint out the sign on the wall; the channel's overlay goes too.", {"first": 1}),
]  # fmt: skip


JOB = "Ollowby Clay, spring film"
# whom the demo can be seen as, and what each is in its job
PEOPLE = [
    ("demo", "Wren", "Alder", "supervisor"), ("ines", "Ines", "Marlow", "artist"), ("otto", "Otto", "Brandl", "reviewer"),
]  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--behind", nargs=2, metavar=("MEDIA", "TRUTH"), help="Render each shot first if need be.")
    options = parser.parse_args()
    sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "server"))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django

    django.setup()
    load()
    for _, place, *_ in SHOTS if options.behind else ():
        _render(place.split("/")[0], *options.behind)
        load()
    if options.behind:
        from jobs.models import Shot

        from demo import story

        story.tell({shot.name: shot for shot in Shot.objects.filter(job__name=JOB).select_related("clip", "job")})


def _render(name: str, media: str, truth: str) -> None:
    """One shot in a process of its own, which ends when this one is told to."""
    words = [sys.executable, "-m", "demo.render", "--media", media, "--truth", truth, "--only", name]
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    child = subprocess.Popen(words, preexec_fn=lambda: os.nice(10))
    try:
        failed = child.wait()
    finally:  # told to end while it renders
        if child.poll() is None:
            child.terminate()
            child.wait()
    if failed:
        print(f"The demo's {name} could not be rendered; the other shots are there.", file=sys.stderr)


def load() -> None:
    """The demo's people, and the job Ollowby Clay with its shots."""
    from django.conf import settings
    from django.contrib.auth.models import User
    from jobs.actions import bring_in
    from jobs.models import Job, Member

    job, _ = Job.objects.get_or_create(name=JOB, defaults={"client": "Ollowby Clay"})
    for username, first, last, role in PEOPLE:
        names = {"first_name": first, "last_name": last, "is_staff": role == "supervisor"}
        person, made = User.objects.get_or_create(username=username, defaults=names)
        if made:
            person.set_unusable_password()
            person.save()
        Member.objects.get_or_create(job=job, person=person, defaults={"role": role})
    for name, place, rate, note, more in SHOTS:
        if (settings.MEDIA_FOOTAGE / place.split("/")[0]).exists() and not job.shots.filter(name=name).exists():
            bring_in(job, name, place, rate, note, **more)
            print(f"Loaded {name}.")


if __name__ == "__main__":
    main()
