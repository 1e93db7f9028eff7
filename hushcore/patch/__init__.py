"""One fix on one frame, and a stack of fixes on one frame."""
