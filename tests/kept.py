"""Rows and files that take long to make: made by the first test that asks, put back for the others."""

import shutil
from pathlib import Path

from django.apps import apps
from django.core import serializers
from django.db import connection, transaction

APPS = ("jobs", "fixes", "holds", "plates", "laying", "tells")


def empty_the_queue() -> None:
    """The queue's tables are not Django's to flush: what a test left waiting would be done in the next one."""
    with connection.cursor() as cursor:
        cursor.execute("TRUNCATE procrastinate_jobs, procrastinate_workers CASCADE")


class Kept:
    """All rows of the application, and the files under a folder if there is one."""

    def __init__(self, place: Path | None = None) -> None:
        self.place, self.rows = place, ""

    def keep(self, storage: Path | None = None) -> None:
        """Take a picture of what there is now."""
        if self.place and storage:
            shutil.copytree(storage, self.place, dirs_exist_ok=True)
        models = [
            model for app in APPS for model in apps.get_app_config(app).get_models() if model.__name__ != "Member"
        ]
        rows = [row for model in models for row in model.objects.all()]  # roles go with the test's people
        for row in rows:
            if hasattr(row, "by_id"):
                row.by_id = None  # its artist goes with the test
        self.rows = serializers.serialize("json", rows)

    def put_back(self, storage: Path | None = None) -> None:
        """Put it in place of whatever is there."""
        if self.place and storage:
            shutil.copytree(self.place, storage, dirs_exist_ok=True)
        with transaction.atomic():
            for model in ("fixes.Fix", "jobs.Job", "jobs.Clip"):
                apps.get_model(model)._base_manager.all().delete()
            for row in serializers.deserialize("json", self.rows):
                row.save()
