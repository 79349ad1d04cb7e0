"""Bars: how many beats they have, and which beat begins one."""

import numpy as np

from pampa.core.music.accents import bars_told
from pampa.core.music.beats import Beats
from pampa.core.music.onsets import HOPS_PER_S, Onsets
from pampa.core.sound import Curve


def bars_of(onsets: Onsets, beats: Beats) -> tuple[int, int] | None:
    """How many beats a bar has, and which beat begins the first whole one; None where there are too few beats."""
    told = bars_told(onsets, np.round(beats.beats_s * HOPS_PER_S).astype(np.int64))
    return max(told)[1:] if told else None


def bar_starts(beats: Beats, bars: tuple[int, int] | None) -> Curve:
    """Seconds of the beats that begin a bar."""
    return beats.beats_s[bars[1] :: bars[0]] if bars else np.zeros(0)
