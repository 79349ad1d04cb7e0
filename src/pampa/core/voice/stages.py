"""All stages of the voice chain in the order that is right, each with its settings and what it does.

Levels come near one another before anything is compressed, because a compressor given uneven talk pumps; what is too
low goes next, because it would set it off; then tone, and what holds it steady; then dynamics; then what dynamics
bring forth, which is a sharp s; then harmonics, which would make an s sharper still.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.voice import compressor, levelling, sibilance, steadying, tone, warmth
from pampa.core.voice.heard import BANDS_HZ, NOTHING, Heard
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.tone import BANDS, Band, toned

CELL = RATE // CELLS_PER_S
FILTERS_SETTLE = RATE // 2
"""Frames in which the lowest filters have forgotten what came before."""

Knowledge = Any
"""What a stage has measured of a recording; None where there is nothing to know."""


@dataclass(frozen=True, eq=False)
class Facts:
    """What is known of a recording before its voice is treated.

    speech_lufs : None where nobody speaks. energy : K-weighted mean square of each 20 ms, on a clock that runs true.
    heard : what the voice sounds like on the whole; it is asked for only where a stage must know it.
    """

    speech_lufs: float | None
    energy: Curve = field(default_factory=lambda: np.zeros(0))
    heard: Callable[[], Heard] = lambda: Heard(np.zeros((0, BANDS_HZ.size)), np.full(BANDS_HZ.size, NOTHING))


@dataclass(frozen=True, eq=False)
class Stretch:
    """Sound to work on, shape (frames, channels), from frame `start` of the recording on."""

    sound: FloatArray
    start: int


@dataclass(frozen=True)
class Setting:
    """One number of a recipe, as a page offers it: its limits stand with the recipe.

    off : where it does nothing; None where it only shapes what another one switches on. more : for a closer look.
    """

    name: str
    label: str
    unit: str
    step: float
    off: float | None = 0.0
    more: bool = False


@dataclass(frozen=True)
class Stage:
    """One stage. With its settings off it is left out, and the samples stay the very same.

    work : a stretch with what lies around it, to as many frames; it may write into what it is given. With it comes the
    curve of what the stage takes, in dB for each 20 ms; None where that does not change with time.
    report : what it does, in words and numbers, from that curve where somebody talks.
    measure : what it must know of the whole recording.
    run_in : frames before a stretch in which it settles, whole cells. look_ahead : frames after it that it needs.
    """

    name: str
    settings: tuple[Setting, ...]
    work: Callable[[Stretch, Knowledge, Recipe], tuple[FloatArray, Curve | None]]
    report: Callable[[Recipe, Curve], str]
    measure: Callable[[Facts], Knowledge] = lambda facts: None
    run_in: int = FILTERS_SETTLE
    look_ahead: int = 0

    def is_on(self, recipe: Recipe) -> bool:
        """Whether a recipe asks for it."""
        return any(getattr(recipe, setting.name) != setting.off for setting in self.settings if setting.off is not None)


def _levelled(stretch: Stretch, gain_db: Curve, recipe: Recipe) -> tuple[FloatArray, Curve]:
    stop, share = stretch.start + len(stretch.sound), recipe.level / 100
    gain = levelling.along(gain_db, stretch.start, stop) ** np.float32(share)
    cells = np.arange(stretch.start // CELL, -(-stop // CELL))
    inside = cells.clip(0, max(gain_db.size - 1, 0))
    taken = -gain_db[inside] * share if gain_db.size else np.zeros(cells.size)
    return stretch.sound * gain[:, None], taken


def _steadied(stretch: Stretch, heard: Heard, recipe: Recipe) -> tuple[FloatArray, Curve | None]:
    if not heard.speaks:
        return stretch.sound, None
    usual = steadying.usual_of(heard, tone.power_response(recipe, BANDS_HZ))
    return steadying.steadied(stretch.sound, usual, recipe.bands / 100)


def _brightness(facts: Facts) -> tuple[Curve, float] | None:
    heard = facts.heard()
    threshold_db = sibilance.threshold_of(heard)
    return None if threshold_db is None else (heard.mean, threshold_db)


def _softened(stretch: Stretch, known: tuple[Curve, float] | None, recipe: Recipe) -> tuple[FloatArray, Curve | None]:
    if known is None:
        return stretch.sound, None
    spectrum, threshold_db = known
    bright = spectrum * ((sibilance.BRIGHT_HZ[0] <= BANDS_HZ) & (sibilance.BRIGHT_HZ[1] > BANDS_HZ))
    # The tone makes vowels and s brighter alike, and what is expected of an s with them.
    moved = 10 * np.log10((bright @ tone.power_response(recipe, BANDS_HZ)) / bright.sum())
    return sibilance.softened(stretch.sound, threshold_db + moved, recipe.sibilance / 100)


def _of_band(band: Band) -> tuple[Setting, ...]:
    """Gain, frequency and, of a bell, Q. The latter two alone switch nothing on."""
    name = band.name.capitalize()
    known = (
        Setting(f"{band.name}_db", name, "dB", 0.5, more=band.name not in OFFERED),
        Setting(f"{band.name}_hz", f"{name}, where", "Hz", 10.0, None, more=True),
        Setting(f"{band.name}_q", f"{name}, how narrow", "", 0.1, None, more=True),
    )
    return known if band.kind == "bell" else known[:2]


OFFERED = ("body", "presence")
"""Bands that are set by most people; the others are for a closer look."""

STAGES = (
    Stage(
        "level", (Setting("level", "Level", "", 5.0),),
        _levelled, lambda recipe, taken: levelling.told(taken), lambda facts: levelling.level_gain_db(facts.energy),
        run_in=0,
    ),
    Stage(
        "tone",
        (
            Setting("low_cut_hz", "Low cut", "Hz", 5.0), *(each for band in BANDS for each in _of_band(band)),
            Setting("high_cut_hz", "High cut", "Hz", 500.0, more=True),
        ),
        lambda stretch, known, recipe: (toned(stretch.sound, recipe), None), lambda recipe, taken: tone.told(recipe),
    ),
    Stage(
        "bands", (Setting("bands", "Bands held steady", "", 5.0),),
        _steadied, lambda recipe, taken: steadying.told(taken), lambda facts: facts.heard(),
        run_in=steadying.AROUND, look_ahead=steadying.AROUND,
    ),
    Stage(
        "compressor", (Setting("ratio", "Compressor", ": 1", 0.1, off=1.0),),
        lambda stretch, known, recipe: compressor.compressed(stretch.sound, known, recipe.ratio),
        lambda recipe, taken: compressor.told(taken),
        lambda facts: compressor.threshold_of(facts.speech_lufs),
        run_in=compressor.SETTLING, look_ahead=compressor.LOOK_AHEAD,
    ),
    Stage(
        "sibilance", (Setting("sibilance", "Sibilance", "", 5.0),),
        _softened, lambda recipe, taken: sibilance.told(taken), _brightness,
        run_in=sibilance.AROUND, look_ahead=sibilance.AROUND,
    ),
    Stage(
        "warmth", (Setting("warmth", "Warmth", "", 5.0),),
        lambda stretch, known, recipe: (warmth.warmed(stretch.sound, known, recipe.warmth / 100), None),
        lambda recipe, taken: warmth.told(recipe.warmth), lambda facts: warmth.reference_of(facts.speech_lufs),
        run_in=warmth.AROUND, look_ahead=warmth.AROUND,
    ),
)  # fmt: skip
