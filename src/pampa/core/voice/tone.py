"""The tone of a voice: cuts, shelves and bells of a recipe, and their response."""

from dataclasses import dataclass

import numpy as np

from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.voice import equaliser, kernels
from pampa.core.voice.equaliser import Section
from pampa.core.voice.recipe import Recipe


@dataclass(frozen=True)
class Band:
    """One band of the tone by its name: the fields of a recipe that begin with it. shelf : no Q of its own."""

    name: str
    kind: str


BANDS = (
    Band("lows", "low shelf"), Band("body", "bell"), Band("middle", "bell"), Band("upper", "bell"),
    Band("presence", "high shelf"),
)  # fmt: skip
TOGETHER = 1536 * 50, 512 * 47
"""Frames of the blocks that are filtered side by side, and those in which the lowest filters have settled for each."""


def sections(recipe: Recipe) -> list[Section]:
    """The second-order sections that a recipe asks for; none where it leaves the tone as it is."""
    found: list[Section] = []
    if recipe.low_cut_hz:
        found += equaliser.low_cut(recipe.low_cut_hz)
    for band in BANDS:
        gain_db, hz = getattr(recipe, f"{band.name}_db"), getattr(recipe, f"{band.name}_hz")
        if gain_db == 0:
            continue
        if band.kind == "bell":
            found.append(equaliser.bell(hz, getattr(recipe, f"{band.name}_q"), gain_db))
        else:
            found.append((equaliser.low_shelf if band.kind == "low shelf" else equaliser.high_shelf)(hz, gain_db))
    if recipe.high_cut_hz:
        found += equaliser.high_cut(recipe.high_cut_hz)
    return found


def toned(sound: FloatArray, recipe: Recipe) -> FloatArray:
    """The sound with its tone, in place: shape (frames, channels)."""
    kernels.filter_sections(sound, np.array(sections(recipe), np.float64), *TOGETHER)
    return sound


def power_response(recipe: Recipe, hz: Curve) -> Curve:
    """The factor by which the tone of a recipe changes the power at each frequency."""
    z = np.exp(-2j * np.pi * hz / RATE)
    response: Curve = np.ones(hz.size)
    for b0, b1, b2, a1, a2 in sections(recipe):
        response = response * np.abs((b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)) ** 2
    return response


def told(recipe: Recipe) -> str:
    """What it does in words and numbers."""
    parts = [f"low cut {recipe.low_cut_hz:.0f} Hz"] if recipe.low_cut_hz else []
    for band in BANDS:
        gain_db, hz = getattr(recipe, f"{band.name}_db"), getattr(recipe, f"{band.name}_hz")
        if gain_db:
            where = {"low shelf": "under", "high shelf": "from", "bell": "at"}[band.kind]
            parts.append(f"{gain_db:+.1f} dB {where} {hz:.0f} Hz".replace("-", "\N{MINUS SIGN}"))
    if recipe.high_cut_hz:
        parts.append(f"high cut {recipe.high_cut_hz:.0f} Hz")
    return ", ".join(parts)
