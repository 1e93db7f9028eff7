"""Finished frames, written with the proof that nothing else changed."""
