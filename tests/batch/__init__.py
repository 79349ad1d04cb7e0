"""Batches, on one machine and on workers of a scheduler."""
