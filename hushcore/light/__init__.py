"""Making the plate's light belong to a frame: a field F of log gains on the still surface, out = plate * exp(F)."""
