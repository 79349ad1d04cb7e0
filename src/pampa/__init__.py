"""Pampa: a studio for turning recorded talk into an episode."""

import os

__version__ = "0.1.0"

# A product of matrices summed by two threads is rounded otherwise than by one: the same sound would come out of a
# machine of two cores and one of eight with other last bits. Pampa has threads of its own, over segments. It must be
# said before numpy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
