"""Paths, homographies, spline maps and resampling."""
