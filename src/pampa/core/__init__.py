"""Numbers and rules only: arrays and small immutable values in, the same out."""
