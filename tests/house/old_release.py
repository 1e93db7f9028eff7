"""Run in the shell of a house with an empty database: the first release's tables, and rows made through its own models."""

from django.db import connection
from django.db.migrations.executor import MigrationExecutor

FIRST_STATE = ("accounts", "jobs", "fixes", "holds", "plates", "laying", "tells", "deliveries")
executor = MigrationExecutor(connection)
whole = [
    key for key in executor.loader.graph.leaf_nodes() if key[0] in ("auth", "contenttypes", "sessions", "procrastinate")
]
executor.migrate([*whole, *((app, "0001_initial") for app in FIRST_STATE)])
loader = MigrationExecutor(connection).loader
apps = loader.project_state([(app, "0001_initial") for app in FIRST_STATE]).apps
people = apps.get_model("auth", "User").objects
ada, bo = (people.create(username=name, is_active=True) for name in ("ada", "bo"))
job = apps.get_model("jobs", "Job").objects.create(name="Old job")
clip = apps.get_model("jobs", "Clip").objects.create(
    folder="wall", stem="wall.", digits=4, suffix=".tif", first=1001, last=1009, width=320, height=260, channels=3,
    depth="uint16",
)  # fmt: skip
shot = apps.get_model("jobs", "Shot").objects.create(job=job, name="010 wall", clip=clip)
fix = apps.get_model("fixes", "Fix").objects.create(shot=shot, document={"name": "Crest", "on": True, "hold": None})
made = apps.get_model("deliveries", "Delivery").objects.create(
    shot=shot,
    folder="wall-0001",
    first=1001,
    last=1001,
    recipe=[{"fix": fix.id, "document": fix.document}],
    state="done",
)
proof = {
    "frame": 1001, "file": "wall.1001.tif", "sha256": "ab", "bytes": 5, "values": 9, "inside": 1, "changed_inside": 2,
    "changed_outside": 0,
}  # fmt: skip
apps.get_model("deliveries", "DeliveredFrame").objects.create(delivery=made, frame=1001, proof=proof)
