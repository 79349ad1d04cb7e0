"""Loudness and peaks by ITU-R BS.1770-5, EBU Tech 3341 and EBU Tech 3342."""

from pampa.core.loudness.measure import Loudness, measure, measure_energy, measure_part, measure_source, summarise
from pampa.core.loudness.parts import GRID_S, LoudnessPart, merge

__all__ = [
    "GRID_S",
    "Loudness",
    "LoudnessPart",
    "measure",
    "measure_energy",
    "measure_part",
    "measure_source",
    "merge",
    "summarise",
]
