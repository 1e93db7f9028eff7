"""Holds: the maps between the still surface and every frame, and the trackers that measure them."""
