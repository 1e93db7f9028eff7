"""Load the demo job: run with the server's settings (``python -m demo.load``); safe to run again."""

import os
import sys
from pathlib import Path


def main() -> None:
    sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "server"))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django

    django.setup()
    load()


def load() -> None:
    """The demo person and the job Ollowby Clay with its shot."""
    from django.contrib.auth.models import User
    from jobs.actions import bring_in
    from jobs.models import Job

    person, _ = User.objects.get_or_create(username="demo", defaults={"first_name": "Demo", "last_name": "artist"})
    if person.has_usable_password():
        person.set_unusable_password()
        person.save()
    job, _ = Job.objects.get_or_create(name="Ollowby Clay, spring film", defaults={"client": "Ollowby Clay"})
    if not job.shots.filter(name="040 apron").exists():
        bring_in(
            job, "040 apron", "apron", (24, 1), "Take the printed crest off the apron; she wears it in every shot."
        )
        print("Loaded the demo job.")


if __name__ == "__main__":
    main()
