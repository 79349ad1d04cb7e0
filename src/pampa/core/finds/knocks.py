"""Knocks, coughs and claps: loud at once, and gone or without a voice."""

import numpy as np

from pampa.core.finds.finds import Find
from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity
from pampa.core.speech.features import PER_S, Features
from pampa.core.speech.sounds import KINDS, Sounds

SHORTEST_S, LONGEST_S = 0.05, 0.5
RISE_DB, UNDER_TOP_DB = 26.0, 12.0
AT_ONCE = 3
AFTER_S, FALL_DB = 0.12, 8.0
VOICELESS = 0.62
BRIDGE = 3
PROBABLY_SAID = 128
"""Of 255: what the network hears as words, more likely than not, begins hard and is no knock."""


def find_knocks(track: int, features: Features, sounds: Sounds, activity: Activity) -> list[Find]:
    """Sounds of one person's recording, apart from all words, that begin within 20 ms."""
    found = []
    for first, last in runs_of(activity.sounding, bridge=BRIDGE).tolist():
        if not SHORTEST_S * PER_S <= last - first <= LONGEST_S * PER_S:
            continue
        level = activity.level[first:last]
        peaks = 20 * np.log10(features.peak[max(first - 3, 0) : last] + 1e-7)
        lead = min(first, 3)
        rise = float(np.max(peaks[2:] - peaks[:-2], initial=0.0))
        top, loud = int(peaks.argmax()) - lead, float(level.max())
        if rise < RISE_DB or top > AT_ONCE or loud < activity.top_db - UNDER_TOP_DB:
            continue
        said = sounds.kinds[first:last, [KINDS.index("word"), KINDS.index("agree")]].astype(int).sum(axis=1)
        if said.mean() > PROBABLY_SAID:
            continue
        voicing = float(features.voicing[first:last].mean())
        fall = loud - float(level[min(round(AFTER_S * PER_S), level.size - 1)])
        if voicing < VOICELESS or fall >= FALL_DB:
            sure = round(float(np.clip(0.3 + rise / 50, 0.6, 0.95)), 2)
            found.append(Find("knock", track, first / PER_S, last / PER_S, sure, f"Louder by {rise:.0f} dB at once."))
    return found
