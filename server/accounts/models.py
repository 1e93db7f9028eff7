"""What the application keeps of a person beside their name and password."""

from django.conf import settings
from django.db import models


class Habit(models.Model):
    """What someone has done once: first-run hints that need not come back."""

    person = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="habit")
    done = models.JSONField(default=list)


class LogEntry(models.Model):
    """Who did what, and when. The database refuses to change or delete a row (see the migration); ``who`` is a name, so that
    it stays when the person goes."""

    at = models.DateTimeField(auto_now_add=True)
    who = models.CharField(max_length=150)
    what = models.CharField(max_length=40)
    about = models.CharField(max_length=300, blank=True)
    job = models.BigIntegerField(null=True, db_index=True)
    shot = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-id"]
