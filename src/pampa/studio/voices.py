"""What the chain does to each voice of an episode, in numbers and as curves; and what is set by listening to it."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from functools import partial

import numpy as np

from pampa.core.errors import EditRefused
from pampa.core.executor import Executor, Urgency, urgent
from pampa.core.files.shelf import Opened
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, SEGMENT_S, Curve, Segment, segments
from pampa.core.sync.clocked import clocked_curve, clocked_frames
from pampa.core.timeline.document import Document, Track
from pampa.core.timeline.mending import amounts_in
from pampa.core.voice.chain import reports
from pampa.core.voice.fitting import fitted, goal_db
from pampa.core.voice.heard import BANDS_HZ, Heard
from pampa.core.voice.likeness import spectrum_db
from pampa.core.voice.peaks import peaks_of
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.starts import nearer
from pampa.studio.editing import Editing, State
from pampa.studio.recipes import main_recording
from pampa.studio.sounds import Sounds

CELLS = SEGMENT_S * CELLS_PER_S
LEVELLED = 100.0
PEAK = "peak"
"""The kind of find that a single peak is, where somebody decides to leave it."""


@dataclass(frozen=True)
class Spectrum:
    """What a voice sounds like, in bands of a sixth of an octave: levels in dB, but for how loud it is.

    before, after : as recorded, and as its chain leaves it. room : as far under the speech as it was recorded. common :
    average speech.
    """

    hz: tuple[float, ...]
    before: tuple[float, ...]
    after: tuple[float, ...]
    room: tuple[float, ...]
    common: tuple[float, ...]


@dataclass(frozen=True)
class PeakHere:
    """A syllable that sticks out of its phrase. start, stop : frames of the recording, as clips count.

    place : where it is heard in the episode. state : "open", "lowered" or "left".
    """

    track: int
    recording: int
    start: int
    stop: int
    start_s: float
    stop_s: float
    place: int
    lower_db: float
    state: str


class Voices:
    """The voices of all episodes, as their chains leave them."""

    def __init__(self, editing: Editing, sounds: Sounds, executor: Executor) -> None:
        self._editing, self._sounds, self._executor = editing, sounds, executor

    def reports(self, episode_id: int) -> dict[int, dict[str, str]]:
        """For each track of talk that is treated: by stage, what it does where that person talks."""
        document = self._editing.state(episode_id).document
        with urgent(Urgency.SEEN):
            return {
                track.id: reports(track.recipe, self._taken(document, track))
                for track in document.linked_tracks() if track.treated and track.clips
            }  # fmt: skip

    def spectrum(self, episode_id: int, track_id: int) -> Spectrum:
        """What the voice on a track sounds like. Raises EditRefused where nobody is heard."""
        document = self._editing.state(episode_id).document
        track = document.track(track_id)
        recording, heard = self._heard(track)
        with urgent(Urgency.SEEN):
            opened = self.opened(document, track, recording) if track.treated else None
            after = spectrum_db(self._sounds.heard_treated(recording, opened)) if opened else spectrum_db(heard)
        speech, room = heard.levels_db
        before = spectrum_db(heard)
        return Spectrum(
            hz=tuple(BANDS_HZ.tolist()), before=before, after=after or before,
            room=tuple((room - speech + np.array(before)).tolist()), common=tuple(goal_db(BANDS_HZ).tolist()),
        )  # fmt: skip

    def fit(self, episode_id: int, track_id: int, *, revision: int | None = None) -> State:
        """Make one voice even and clear in one edit: every phrase at one loudness, its tone near average speech.

        The tone is fitted to the recording of which most lies on the track. Raises EditRefused where nobody talks.
        """
        track = self._editing.state(episode_id).document.track(track_id)
        return self._set(episode_id, track, replace(self._fitted(track), level=LEVELLED), revision)

    def bring_nearer(self, episode_id: int, track_id: int, amount: float, *, revision: int | None = None) -> State:
        """Bring a person nearer in one edit: tone, bands, compressor, sibilance and warmth are set by one amount."""
        track = self._editing.state(episode_id).document.track(track_id)
        return self._set(episode_id, track, nearer(track.recipe, amount, self._fitted(track)), revision)

    def peaks(self, episode_id: int) -> list[PeakHere]:
        """Single peaks of all voices, in order of time, with what was decided about each."""
        document = self._editing.state(episode_id).document
        found = []
        for track in document.linked_tracks():
            for recording in sorted({clip.recording for clip in track.clips}):
                drift_ppm = document.drift_ppm(recording)
                for peak in peaks_of(self._sounds.analysis(recording).energy):
                    edges = (round(edge * RATE) for edge in (peak.start_s, peak.stop_s))
                    start, stop = (clocked_frames(edge, drift_ppm) for edge in edges)
                    place = _place(track, recording, (start + stop) // 2)
                    if place is not None:
                        state = _state(document, recording, start, stop, peak.start_s, peak.stop_s)
                        found.append(PeakHere(track.id, recording, start, stop, peak.start_s, peak.stop_s, place,
                                              peak.lower_db, state))  # fmt: skip
        return sorted(found, key=lambda peak: peak.place)

    def opened(self, document: Document, track: Track, recording: int) -> Opened:
        """A recording as it is heard on a track, after its chain."""
        rendition = self._sounds.rendition(
            recording, recipe=track.recipe, drift_ppm=document.drift_ppm(recording),
            amounts=amounts_in(document, recording),
        )  # fmt: skip
        return self._sounds.opened(rendition)

    def _heard(self, track: Track) -> tuple[int, Heard]:
        recording = main_recording(track) if track.linked else None
        heard = None if recording is None else self._sounds.heard(recording)
        if recording is None or heard is None or not heard.speaks:
            raise EditRefused(f"Nobody is heard on {track.name}, so there is no voice to fit. Nothing was changed.")
        return recording, heard

    def _fitted(self, track: Track) -> Recipe:
        return fitted(track.recipe, BANDS_HZ, *self._heard(track)[1].levels_db)

    def _set(self, episode_id: int, track: Track, recipe: Recipe, revision: int | None) -> State:
        told = {"track": track.id, "recipe": asdict(recipe)}
        return self._editing.edit(episode_id, "set_recipe", told, revision=revision)

    def _taken(self, document: Document, track: Track) -> Mapping[str, Curve]:
        """What each stage takes, over all that lies on a track and is talk."""
        found: dict[str, list[Curve]] = {}
        for recording in sorted({clip.recording for clip in track.clips}):
            opened = self.opened(document, track, recording)
            talk = clocked_curve(self._sounds.analysis(recording).activity, document.drift_ppm(recording))
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


def _place(track: Track, recording: int, at: int) -> int | None:
    """Where a frame of a recording is heard on a track; None where it is cut out."""
    for clip in track.clips:
        if clip.recording == recording and clip.source <= at < clip.source_end and not clip.muted:
            return clip.start + at - clip.source
    return None


def _state(document: Document, recording: int, start: int, stop: int, start_s: float, stop_s: float) -> str:
    if any(
        spot.start_s < stop_s and start_s < spot.stop_s and spot.db > 0 for spot in document.amounts(recording).spots
    ):
        return "lowered"
    left = (find for find in document.left if find.kind == PEAK and find.recording == recording)
    return "left" if any(find.start < stop and start < find.stop for find in left) else "open"
