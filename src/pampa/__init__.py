"""Pampa: a studio for turning recorded talk into an episode."""

__version__ = "0.1.0"
