"""What the apps above may hear of jobs and shots."""

from django.dispatch import Signal

# sent with ``shot`` before it is deleted
shot_goes = Signal()
