"""Music that lies a distance under the talk: a gain curve from how loud both are, known before it is heard.

Within talk the gain is what brings the music under it; it is held over short pauses and comes back in longer ones.
Every value holds for its neighbours too, up to a slope: the erosion of the curve by a cone (Serra, Image analysis and
mathematical morphology, 1982), so the music is down when the first word comes, and never moves faster than a hand.
"""

from itertools import pairwise

import numpy as np
import scipy

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.runs import runs_of
from pampa.core.sound import Curve
from pampa.core.timeline.document import Under

NOBODY = -np.inf
"""The loudness of talk where nobody talks."""
DOWN_DB_S = 24.0
LEAD_S, TRAIL_S = 0.2, 0.1
"""The music is down so long before a word, and stays so long after it. A word that begins softly is
found a tenth of a second late."""
FOUND_S = 0.1
"""The ends of a pause are found within so much together."""
FIRST_S = 0.8
"""So long after the first word the music is no lower than it is at the word itself: it is down by then."""
AROUND_S = 0.2
"""Where somebody soft follows somebody loud, the music is down for the soft one so much sooner."""
MUSIC_S, SECOND_S = 2.0, 1.0
NEAREST_LU, LOUDER_LU = 7.0, 3.0
"""No second of music comes nearer than the first, or than the second over the distance asked for."""
SHORT_S, LIFTED_DB = 2.5, 4.0
"""In pauses between words shorter than this music comes up by no more than this: larger steps are felt."""
SOFTEST_LUFS = -70.0
COMES_BACK_DB = 12.0


def distance_gain(talk: Curve, music: Curve, under: Under) -> Curve:
    """Gain in dB for each 20 ms of music, never over 0.

    talk : loudness of who talks in each cell, in LUFS, `NOBODY` elsewhere. music : K-weighted mean square, as long.
    """
    if not under.lu:
        return np.zeros(talk.size)
    regions = _regions(talk, under)
    usual, second = (_loudness(music, seconds) for seconds in (MUSIC_S, SECOND_S))
    nearest = max(under.lu - LOUDER_LU, min(under.lu, NEAREST_LU))
    first, around = round(FIRST_S * CELLS_PER_S), round(AROUND_S * CELLS_PER_S)
    wanted = np.full(talk.size, np.inf)
    for start, stop in regions:
        level = scipy.ndimage.minimum_filter1d(_filled(talk[start:stop]), 2 * around + 1)
        wanted[start:stop] = np.minimum(level - under.lu - usual[start:stop], level - nearest - second[start:stop])
        wanted[start : start + first] = wanted[start : min(start + first, stop)].min()
    return _moved(wanted, regions, under)


def depth_gain(talk: Curve, depth_db: float, under: Under) -> Curve:
    """The same where the music goes down by `depth_db` under all talk, however loud it is."""
    regions = _regions(talk, under)
    wanted = np.full(talk.size, np.inf)
    for start, stop in regions:
        wanted[start:stop] = -depth_db
    return _moved(wanted, regions, under)


def _moved(wanted: Curve, regions: list[tuple[int, int]], under: Under) -> Curve:
    """The gain that is nowhere over what is wanted, and moves no faster than it may: down before, and back after."""
    for before, after in pairwise(regions):
        start, stop = before[1], after[0]
        if stop - start < (SHORT_S - LEAD_S - TRAIL_S - FOUND_S) * CELLS_PER_S:
            wanted[start:stop] = min(wanted[start - 1], wanted[stop]) + LIFTED_DB
    here = np.arange(wanted.size)
    back, down = COMES_BACK_DB / under.back_s / CELLS_PER_S, DOWN_DB_S / CELLS_PER_S
    gain = np.minimum(wanted, 0.0)
    gain = np.minimum.accumulate(gain - back * here) + back * here
    ahead = (gain - down * here[::-1])[::-1]
    return np.asarray(np.minimum.accumulate(ahead)[::-1] + down * here[::-1])


def _regions(talk: Curve, under: Under) -> list[tuple[int, int]]:
    """Where the music is to be down: talk with its short pauses, a little before and after."""
    runs = runs_of(talk > NOBODY, bridge=round((under.hold_s + LEAD_S + TRAIL_S) * CELLS_PER_S))
    lead, trail = round(LEAD_S * CELLS_PER_S), round(TRAIL_S * CELLS_PER_S)
    return [(max(start - lead, 0), min(stop + trail, talk.size)) for start, stop in runs.tolist()]


def _filled(level: Curve) -> Curve:
    """The talk's loudness also in its pauses: straight from one word to the next."""
    known = np.flatnonzero(level > NOBODY)
    return np.interp(np.arange(level.size), known, level[known])


def _loudness(energy: Curve, seconds: float) -> Curve:
    """Loudness around each cell, over a triangle of so many seconds."""
    width = round(seconds * CELLS_PER_S / 2)
    mean = scipy.ndimage.uniform_filter1d(scipy.ndimage.uniform_filter1d(energy, width, mode="constant"), width,
                                          mode="constant")  # fmt: skip
    return -0.691 + 10 * np.log10(np.maximum(mean, 10 ** ((SOFTEST_LUFS + 0.691) / 10)))
