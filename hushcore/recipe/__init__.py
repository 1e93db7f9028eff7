"""The whole description of a fix as plain validated data."""
