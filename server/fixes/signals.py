"""What a fix tells the apps above it."""

from django.dispatch import Signal

# sent with ``fix`` and the document ``before`` in the transaction of every change that can alter pixels: its tells, and
# those of the fixes on it, are old
fix_changed = Signal()
# sent with ``fix`` before it is taken away: work on it stops, what was made stays
fix_leaves = Signal()
# sent with ``fix`` before it is deleted for good: whoever keeps something for it clears that
fix_goes = Signal()
# sent with ``shot`` and ``order``: the fixes from that order on lie on something else now
order_changed = Signal()
