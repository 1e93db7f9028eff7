"""Tells: what gives a patch away, measured."""
