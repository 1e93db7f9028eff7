"""The matte of a mark on the still surface."""
