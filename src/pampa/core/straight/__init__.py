"""Straight through: what is done by one action, in which order, and what of it is safe without anybody listening."""
