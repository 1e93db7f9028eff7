"""Brushes and strokes on a plate."""
