"""Grain: measured, taken off, laid back."""
