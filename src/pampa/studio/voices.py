"""What the chain does to each voice of an episode, stage by stage, in numbers and as curves."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import asdict, replace
from functools import partial

import numpy as np

from pampa.core.errors import EditRefused
from pampa.core.executor import Executor, Urgency, urgent
from pampa.core.files.shelf import Opened
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import SEGMENT_S, Curve, Segment, segments
from pampa.core.sync.clocked import clocked_curve
from pampa.core.timeline.document import Document, Track
from pampa.core.timeline.mending import amounts_in
from pampa.core.voice.chain import reports
from pampa.core.voice.fitting import fitted
from pampa.studio.checking_up import CheckingUp
from pampa.studio.editing import Editing, State
from pampa.studio.sounds import Sounds

CELLS = SEGMENT_S * CELLS_PER_S
LEVELLED = 100.0


class Voices:
    """The voices of all episodes, as their chains leave them."""

    def __init__(self, editing: Editing, sounds: Sounds, checking_up: CheckingUp, executor: Executor) -> None:
        self._editing, self._sounds, self._executor = editing, sounds, executor
        self._checking_up = checking_up

    def reports(self, episode_id: int) -> dict[int, dict[str, str]]:
        """For each track of talk that is treated: by stage, what it does where that person talks."""
        document = self._editing.state(episode_id).document
        with urgent(Urgency.SEEN):
            return {
                track.id: reports(track.recipe, self._taken(document, track))
                for track in document.linked_tracks() if track.treated and track.clips
            }  # fmt: skip

    def fit(self, episode_id: int, track_id: int, *, revision: int | None = None) -> State:
        """Make one voice even and clear in one edit: every phrase at one loudness, its tone near average speech.

        The tone is fitted to what the check-up has measured of the recording of which most lies on the track.
        Raises EditRefused where nobody talks there, or it is not checked up yet.
        """
        track = self._editing.state(episode_id).document.track(track_id)
        lengths: Counter[int] = Counter()
        for clip in track.clips:
            lengths[clip.recording] += clip.length
        checkups = self._checking_up.of_episode(episode_id)
        found = next((checkups[number] for number, _ in lengths.most_common() if number in checkups), None)
        if found is None or not track.linked:
            raise EditRefused("No recording of talk on this track has been checked up yet. Try again in a moment.")
        if found["speech_dbfs"] is None:
            raise EditRefused(f"Nobody is heard on {track.name}, so there is no voice to fit. Nothing was changed.")
        spectra = (np.array(found[name]) for name in ("spectrum_hz", "speech_db", "floor_db"))
        recipe = replace(fitted(track.recipe, *spectra), level=LEVELLED)
        told = {"track": track_id, "recipe": asdict(recipe)}
        return self._editing.edit(episode_id, "set_recipe", told, revision=revision)

    def _taken(self, document: Document, track: Track) -> Mapping[str, Curve]:
        """What each stage takes, over all that lies on a track and is talk."""
        found: dict[str, list[Curve]] = {}
        for recording in sorted({clip.recording for clip in track.clips}):
            drift_ppm = document.drift_ppm(recording)
            amounts = amounts_in(document, recording)
            rendition = self._sounds.rendition(recording, recipe=track.recipe, drift_ppm=drift_ppm, amounts=amounts)
            opened = self._sounds.opened(rendition)
            talk = clocked_curve(self._sounds.analysis(recording).activity, drift_ppm)
            grid = [segment for segment in segments(opened.frames) if _lies(track, recording, segment)]
            for segment, taken in zip(grid, self._executor.map(partial(_taken_in, opened), grid), strict=True):
                here = talk[segment.index * CELLS : (segment.index + 1) * CELLS]
                for name, curve in taken.items():
                    cells = min(curve.size, here.size)
                    found.setdefault(name, []).append(curve[:cells][here[:cells] > 0])
        return {name: np.concatenate(curves) for name, curves in found.items()}


def _taken_in(opened: Opened, segment: Segment) -> Mapping[str, Curve]:
    return opened.taken(segment)


def _lies(track: Track, recording: int, segment: Segment) -> bool:
    """Whether any of a segment is heard on a track."""
    return any(
        clip.recording == recording and clip.source < segment.stop and segment.start < clip.source_end
        for clip in track.clips
    )
