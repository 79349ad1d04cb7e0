"""How far music steps back: a gain curve from where there is talk, looking ahead and holding over pauses."""

import numpy as np

from pampa.core.compiled import compiled
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve
from pampa.core.timeline.document import Document, Ducking

CELL = RATE // CELLS_PER_S


def talk_curve(document: Document, activity: dict[int, Curve]) -> Curve:
    """Where anyone talks in the episode: 1.0 or 0.0 for each 20 ms, from each recording's own activity."""
    talk = np.zeros(-(-document.length // CELL) + 1)
    for track in document.linked_tracks():
        silent = track.muted or document.bus(track.bus).muted
        for clip in track.clips:
            if silent or clip.muted or clip.recording not in activity:
                continue
            cells = activity[clip.recording]
            first, last = clip.start // CELL, -(-clip.end // CELL)
            at = (np.arange(first, last) * CELL + clip.source - clip.start) // CELL
            inside = (at >= 0) & (at < cells.size)
            here = np.arange(first, last)[inside]
            talk[here] = np.maximum(talk[here], cells[at[inside]])
    return talk


def ducking_db(talk: Curve, ducking: Ducking) -> Curve:
    """Gain in dB of ducked tracks for each 20 ms: 0 where nobody talks, `-depth_db` under talk.

    The dip is complete when the first word comes, pauses shorter than `hold_s` do not bring the music back,
    and both ways are straight lines in dB.
    """
    attack = max(round(ducking.attack_s * CELLS_PER_S), 1)
    hold = round(ducking.hold_s * CELLS_PER_S)
    release = max(round(ducking.release_s * CELLS_PER_S), 1)
    return -_slopes(talk, ducking.depth_db, attack, hold, release)


@compiled()
def _slopes(talk, depth, attack, hold, release):  # type: ignore[no-untyped-def]
    """Depth in dB: held after talk, falling over `release` cells, and rising over `attack` cells before it."""
    out = np.zeros(talk.size)
    since = hold + release + 1
    for i in range(talk.size):
        since = 0 if talk[i] > 0 else since + 1
        out[i] = depth * min(max(1.0 - (since - hold) / release, 0.0), 1.0) if since > hold else depth
    until = attack + 1
    for i in range(talk.size - 1, -1, -1):
        until = 0 if talk[i] > 0 else until + 1
        out[i] = max(out[i], depth * max(1.0 - until / attack, 0.0))
    return out
