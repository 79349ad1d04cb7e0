"""All stages of the voice chain in the order that is right, each with its settings and what it does.

What is too low goes first, because it would set off the compressor; then tone; then dynamics.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.voice import compressor, equaliser, kernels
from pampa.core.voice.equaliser import Sections
from pampa.core.voice.recipe import Recipe

SETTLING = 2 * RATE
"""Frames in which a low cut and a compressor have forgotten what came before."""

Knowledge = Any
"""What a stage has measured of a recording; None where there is nothing to know."""


@dataclass(frozen=True)
class Facts:
    """What is known of a recording before its voice is treated. speech_lufs : None where nobody speaks."""

    speech_lufs: float | None


@dataclass(frozen=True)
class Setting:
    """One number of a recipe, as a page offers it: its limits stand with the recipe. off : where it does nothing."""

    name: str
    label: str
    unit: str
    step: float
    off: float = 0.0


@dataclass(frozen=True)
class Stage:
    """One stage. With its settings off it is left out, and the samples stay the very same.

    work : a stretch of sound with what lies around it, shape (frames, channels), to as many frames; it may write into
    what it is given. With it comes the curve of what the stage takes, in dB for each 20 ms; None where that does not
    change with time.
    report : what it does, in words and numbers, from that curve where somebody talks.
    measure : what it must know of the whole recording.
    run_in : frames before a stretch in which it settles. look_ahead : frames after it that it needs.
    """

    name: str
    settings: tuple[Setting, ...]
    work: Callable[[FloatArray, Knowledge, Recipe], tuple[FloatArray, Curve | None]]
    report: Callable[[Recipe, Curve], str]
    measure: Callable[[Facts], Knowledge] = lambda facts: None
    run_in: int = SETTLING
    look_ahead: int = 0

    def is_on(self, recipe: Recipe) -> bool:
        """Whether a recipe asks for it."""
        return any(getattr(recipe, setting.name) != setting.off for setting in self.settings)


def _filtered(sound: FloatArray, sections: list[list[float]]) -> tuple[FloatArray, None]:
    table: Sections = np.array(sections, np.float64)
    kernels.filter_sections(sound, table)
    return sound, None


def _signed(db: float) -> str:
    return f"{db:+.1f}".replace("-", "\N{MINUS SIGN}")


STAGES = (
    Stage(
        "low cut", (Setting("low_cut_hz", "Low cut", "Hz", 5.0),),
        lambda sound, known, recipe: _filtered(sound, equaliser.steep_low_cut(recipe.low_cut_hz)),
        lambda recipe, taken: f"24 dB per octave under {recipe.low_cut_hz:.0f} Hz",
    ),
    Stage(
        "body", (Setting("body_db", "Body, 300 Hz", "dB", 0.5),),
        lambda sound, known, recipe: _filtered(sound, [equaliser.body(recipe.body_db)]),
        lambda recipe, taken: f"{_signed(recipe.body_db)} dB around {equaliser.BODY_HZ:.0f} Hz",
    ),
    Stage(
        "presence", (Setting("presence_db", "Presence, 4.5 kHz", "dB", 0.5),),
        lambda sound, known, recipe: _filtered(sound, [equaliser.presence(recipe.presence_db)]),
        lambda recipe, taken: f"{_signed(recipe.presence_db)} dB from {equaliser.PRESENCE_HZ:.0f} Hz up",
    ),
    Stage(
        "compressor", (Setting("ratio", "Compressor", ": 1", 0.1, off=1.0),),
        lambda sound, known, recipe: compressor.compressed(sound, known, recipe.ratio),
        lambda recipe, taken: compressor.told(taken),
        lambda facts: compressor.threshold_of(facts.speech_lufs), look_ahead=compressor.LOOK_AHEAD,
    ),
)  # fmt: skip
