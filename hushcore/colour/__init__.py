"""Encodings and colour difference."""
