"""What a hold tells the apps above it."""

from django.dispatch import Signal

# sent with ``hold`` in a worker, when it is measured and what was hidden is bridged
hold_settled = Signal()
