"""Clips in and out: the only part of the engine that touches disks and codecs."""
