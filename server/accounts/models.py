"""What the application keeps of a person beside their name and password."""

from django.conf import settings
from django.db import models


class Habit(models.Model):
    """What someone has done once: first-run hints that need not come back."""

    person = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="habit")
    done = models.JSONField(default=list)
