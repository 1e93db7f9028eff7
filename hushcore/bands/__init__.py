"""Tone and texture: the low and the high band of a picture."""
