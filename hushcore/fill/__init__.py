"""Fills: what takes a mark's place, grown from the surface round it."""
