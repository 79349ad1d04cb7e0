"""How far each track of music and effects steps back in an episode, from who talks and what is played when."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from pampa.core.mix.distance import NOBODY, distance_gain
from pampa.core.mix.ducking import CELL, ducking_db, talk_curve
from pampa.core.sound import Curve
from pampa.core.timeline.document import Clip, Document, Track

Steps = dict[int, Curve]
"""By track, a gain in dB for each 20 ms."""
Cells = NDArray[np.int64]
OnTrack = Mapping[tuple[int, int], Curve]
"""By track and recording, a curve of one value for each 20 ms of the recording."""


def steps_back(document: Document, activity: Mapping[int, Curve], talk: OnTrack, played: Mapping[int, Curve]) -> Steps:
    """The steps of all tracks that are not talk.

    activity : by recording of talk, 1.0 where it is heard: for tracks without a distance of their own. talk : how loud
    each phrase lies in the mix before the gains of track and clip, in LUFS. played : by recording of music and effects,
    its K-weighted mean square.
    """
    steps: Steps = {}
    spoken: Curve | None = None
    for track in document.tracks:
        if track.linked or not track.clips:
            continue
        if track.under is None:
            steps[track.id] = ducking_db(talk_curve(document, dict(activity)), document.ducking)
        elif track.under.lu:
            spoken = talk_in_episode(document, talk) if spoken is None else spoken
            steps[track.id] = distance_gain(spoken, played_in_episode(track, played, spoken.size), track.under)
    return steps


def talk_in_episode(document: Document, talk: OnTrack) -> Curve:
    """The loudness of all who talk in each 20 ms, in LUFS; `NOBODY` where nobody does."""
    power = np.zeros(document.length // CELL + 2)
    for track in document.linked_tracks():
        if track.muted or document.bus(track.bus).muted:
            continue
        for clip in track.clips:
            curve = talk.get((track.id, clip.recording))
            if curve is not None and not clip.muted:
                here, there = _cells(clip, curve.size, power.size)
                power[here] += 10 ** ((curve[there] + _gain_db(track, clip, there)) / 10)
    return np.asarray(np.where(power > 0, 10 * np.log10(np.maximum(power, 1e-30)), NOBODY))


def played_in_episode(track: Track, played: Mapping[int, Curve], cells: int) -> Curve:
    """The K-weighted mean square of a track in each 20 ms, with its gains, envelopes and fades."""
    out = np.zeros(cells)
    for clip in track.clips:
        energy = played.get(clip.recording)
        if energy is not None and not clip.muted:
            here, there = _cells(clip, energy.size, cells)
            places = here * CELL + CELL // 2
            rising = np.clip((places - clip.start) / max(clip.fade_in, 1), 0, 1)
            falling = np.clip((clip.end - places) / max(clip.fade_out, 1), 0, 1)
            gain = np.sin(rising * np.pi / 2) ** 4 * np.sin(falling * np.pi / 2) ** 4
            out[here] += energy[there] * gain * 10 ** (_gain_db(track, clip, there) / 10)
    return out


def _cells(clip: Clip, known: int, cells: int) -> tuple[Cells, Cells]:
    """The cells of the episode that a clip covers, and those of its recording that are heard there."""
    here = np.arange(clip.start // CELL, -(-clip.end // CELL))
    there = (here * CELL + clip.source - clip.start) // CELL
    inside = (there >= 0) & (there < known) & (here < cells)
    return here[inside], there[inside]


def _gain_db(track: Track, clip: Clip, cells: Cells) -> Curve | float:
    fixed = track.gain_db + clip.gain_db
    if not clip.envelope:
        return fixed
    places, levels = zip(*clip.envelope, strict=True)
    return np.asarray(fixed + np.interp(cells * CELL + CELL // 2, places, levels))
