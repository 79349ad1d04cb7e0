"""Pampa: a studio for turning recorded talk into an episode."""
