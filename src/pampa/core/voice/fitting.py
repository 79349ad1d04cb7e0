"""Fitted tone: the bands that bring a voice near the spectrum that speech has on the average.

Source of that spectrum: Byrne et al., An international comparison of long-term average speech spectra, JASA 96 (1994),
table II, men and women together.
"""

from dataclasses import replace

import numpy as np
import scipy

from pampa.core.sound import Curve
from pampa.core.voice.equaliser import bell_prototype, magnitude, shelf_prototype
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.tone import BANDS

THIRDS_HZ = np.array(
    [63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300,
     8000, 10000, 12500, 16000.0]
)  # fmt: skip
LTASS_DB = np.array(
    [38.6, 43.5, 54.4, 57.7, 56.8, 60.2, 60.3, 59.0, 62.1, 62.1, 60.5, 56.8, 53.7, 53.0, 52.0, 48.7, 48.1, 46.8, 45.6,
     44.5, 44.3, 43.7, 43.4, 41.3, 40.7]
)  # fmt: skip
FITTED_HZ = (100.0, 8000.0)
MOST_DB = 9.0
"""Voices that are far from average come nearer than with six, by 0.2 dB also in lines that were not fitted to."""
OVER_ROOM_DB = 3.0
"""Where the speech does not stand over the room by this much, the room is what would be raised."""
UNDER_VOICE_DB = 15.0
"""A voice begins where it first comes this near its strongest band: under its pitch there is nothing to raise."""
THIRD_OCTAVE = 2 ** (1 / 6)
REST = 0.4
"""How much a dB of a band costs beside a dB of distance: what hardly helps is left alone."""
REACHES_HZ = {
    "lows": (80.0, 250.0), "body": (160.0, 500.0), "middle": (500.0, 1600.0), "upper": (1600.0, 5000.0),
    "presence": (3000.0, 8000.0),
}  # fmt: skip
"""Bells side by side, so that no two of them pull against one another."""
WIDTHS_Q = (0.5, 3.0)
"""From two and a half octaves to half of one: what is narrower belongs to what happened to be said."""
STEP_DB, STEP_HZ, STEP_Q = 0.5, 10.0, 0.1
BEGUN_AT = (0.5, 0.2, 0.8)
"""Where in their reaches the bands begin: where they end depends on it, and the nearest is taken."""
CORRECTED_DB, BAND_DB = 3.0, 12.0


def goal_db(hz: Curve) -> Curve:
    """The level of average speech in a third of an octave around each frequency, in dB, but for a constant."""
    levels: Curve = np.interp(np.log(hz), np.log(THIRDS_HZ), LTASS_DB)
    return levels


def distance_db(hz: Curve, speech_db: Curve, room_db: Curve, goal: Curve | None = None) -> tuple[Curve, Curve]:
    """How far a voice lies under a goal at each frequency in FITTED_HZ, smoothed to a third of an octave.

    hz, speech_db, room_db : bands of a constant share of their frequency: where somebody speaks, and the room alone.
    goal : levels in dB at those frequencies, but for a constant; None for average speech. Returns distances in dB, with
    a mean of 0, and weights: 0 where the room is in the way.
    """
    power = np.maximum(10 ** (speech_db / 10) - 10 ** (room_db / 10), 1e-20)
    near = (np.abs(np.log(hz[:, None] / hz)) < np.log(THIRD_OCTAVE)).astype(np.float64)
    smooth = 10 * np.log10(near @ power / near.sum(axis=1))
    lowest = hz[np.argmax(speech_db > speech_db.max() - UNDER_VOICE_DB)]
    told = (speech_db - room_db > OVER_ROOM_DB) & (hz >= lowest)
    weights = (told & (hz >= FITTED_HZ[0]) & (hz <= FITTED_HZ[1])).astype(np.float64)
    apart = (goal_db(hz) if goal is None else goal) - smooth
    if weights.sum():
        apart = apart - (weights @ apart) / weights.sum()
    return apart, weights


def fitted(recipe: Recipe, hz: Curve, speech_db: Curve, room_db: Curve) -> Recipe:
    """The recipe with the bands of its tone set so that the voice comes near average speech; cuts stay.

    At most 9 dB anywhere, and nothing is raised by more than it stands over the room: the room comes along. A voice of
    which hardly anything stands over its room keeps its bands.
    """
    apart, weights = distance_db(hz, speech_db, room_db)
    if weights.sum() < 8:
        return recipe
    wanted = np.clip(apart, -MOST_DB, np.clip(speech_db - room_db, 0.0, MOST_DB))
    gains = [f"{band.name}_db" for band in BANDS]
    places = [f"{name}_hz" for name in REACHES_HZ]
    widths = [f"{band.name}_q" for band in BANDS if band.kind == "bell"]
    reaches = np.log([*REACHES_HZ.values(), *[WIDTHS_Q] * len(widths)])
    edge = np.array([[-MOST_DB, MOST_DB]] * len(gains) + reaches.tolist() + [[-np.inf, np.inf]])
    low, high = reaches.T
    shares = [np.repeat([begun, 0.5], [len(places), len(widths)]) for begun in BEGUN_AT]
    starts = [np.concatenate([np.zeros(len(gains)), low + share * (high - low), [0.0]]) for share in shares]

    def told(numbers: Curve) -> dict[str, float]:
        shapes = np.exp(numbers[len(gains) : -1])
        return dict(zip(gains + places + widths, [*numbers[: len(gains)].tolist(), *shapes.tolist()], strict=True))

    def missing(numbers: Curve) -> Curve:
        left = (wanted - response_db(replace(recipe, **told(numbers)), hz) - numbers[-1]) * weights
        return np.concatenate([left, REST * numbers[: len(gains)]])

    nearest = min(
        (scipy.optimize.least_squares(missing, start, bounds=edge.T, max_nfev=60) for start in starts),
        key=lambda ended: float(ended.cost),
    )
    found = told(nearest.x)
    steps = {**dict.fromkeys(gains, STEP_DB), **dict.fromkeys(places, STEP_HZ), **dict.fromkeys(widths, STEP_Q)}
    return replace(
        recipe, **{name: round(round(value / steps[name]) * steps[name], 2) for name, value in found.items()}
    )


def corrected(recipe: Recipe, hz: Curve, speech_db: Curve, room_db: Curve, goal: Curve) -> Recipe:
    """The recipe with its bands moved by 3 dB at most, so that a voice that it leaves as `speech_db` comes near `goal`.

    Bands stay where they are; what they do together is solved for at once. All as for `distance_db`.
    """
    apart, weights = distance_db(hz, speech_db, room_db, goal)
    if weights.sum() < 8:
        return recipe
    names = [band.name for band in BANDS]
    now = response_db(recipe, hz)

    def moved(by: Curve) -> Recipe:
        gains = {
            f"{name}_db": float(np.clip(getattr(recipe, f"{name}_db") + db, -BAND_DB, BAND_DB))
            for name, db in zip(names, by, strict=False)
        }
        return replace(recipe, **gains)

    def missing(by: Curve) -> Curve:
        left = (apart - (response_db(moved(by), hz) - now) - by[-1]) * weights
        return np.concatenate([left, REST * by[:-1]])

    most = np.array([CORRECTED_DB] * len(names) + [np.inf])
    by = scipy.optimize.least_squares(missing, np.zeros(most.size), bounds=(-most, most), max_nfev=60).x
    return moved(np.round(by / STEP_DB) * STEP_DB)


def response_db(recipe: Recipe, hz: Curve) -> Curve:
    """What the bands of a recipe do at each frequency, in dB; cuts are left out."""
    total = np.zeros(hz.size)
    for band in BANDS:
        gain_db, corner = getattr(recipe, f"{band.name}_db"), getattr(recipe, f"{band.name}_hz")
        if band.kind == "bell":
            prototype = bell_prototype(getattr(recipe, f"{band.name}_q"), gain_db)
        else:
            prototype = shelf_prototype(gain_db, high=band.kind == "high shelf")
        total += 20 * np.log10(magnitude(prototype, hz / corner))
    return total
