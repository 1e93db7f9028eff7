"""Encodings, looks and colour difference."""
