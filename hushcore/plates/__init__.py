"""Plates: retouched reference frames, held in the still pose."""
