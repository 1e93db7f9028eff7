"""Random shots with exact truth, by seed: what the product does by default on footage that nobody tuned it on."""
