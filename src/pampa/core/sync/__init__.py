"""Lining up: where a recording lies on the reference, and how its clock runs."""
