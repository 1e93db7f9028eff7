"""The engine of Hush Patch: arrays and plain data in, arrays and plain data out."""
