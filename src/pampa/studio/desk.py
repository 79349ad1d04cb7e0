"""The desk: every episode at a glance. Its talk drawn small, its length, its loudness, and what it needs next."""

import threading
from dataclasses import dataclass

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from pampa.core.files.stalks import CELL, COARSER, LEVELS, read_stalks
from pampa.core.purpose.kind import SURE
from pampa.core.timeline.document import Document, Track
from pampa.studio.editing import Editing
from pampa.studio.lining_up import LiningUp
from pampa.studio.listening import Listening
from pampa.studio.next_step import Facts, Step, next_step
from pampa.studio.recordings import GONE, Recording, Recordings
from pampa.studio.sending import Sending
from pampa.studio.sounds import COMMON_LEVEL_LUFS, Sounds

COLUMNS = 160
COARSE = CELL * COARSER ** (LEVELS - 1)
PEOPLE_DRAWN = 6
KEPT = 200


@dataclass(frozen=True)
class DrawnPerson:
    """A person's talk along the episode: one level from 0 to 255 for each column, as stalks are drawn."""

    name: str
    gain_db: float
    levels: list[int]


@dataclass(frozen=True)
class Glance:
    """An episode as it lies on the desk. length : frames. lufs : as it was last measured, here or as it was sent out;
    None where that is not known."""

    length: int
    people: list[DrawnPerson]
    lufs: float | None
    step: Step


class Desk:
    """What is on the desk."""

    def __init__(self, editing: Editing, recordings: Recordings, lining_up: LiningUp, sending: Sending,
                 listening: Listening, sounds: Sounds) -> None:  # fmt: skip
        self._editing, self._recordings, self._lining_up = editing, recordings, lining_up
        self._sending, self._listening, self._sounds = sending, listening, sounds
        self._lock = threading.Lock()
        self._drawn: LRUCache[tuple[int, int], list[DrawnPerson]] = LRUCache(KEPT)

    def glance(self, episode_id: int) -> Glance:
        """One episode."""
        state = self._editing.state(episode_id)
        recordings = self._recordings.of_episode(episode_id)
        sent = self._sending.of_episode(episode_id)
        known = self._listening.known(episode_id)
        if known:
            lufs = known.loudness.integrated_lufs
        else:
            lufs = sent[0].sheet["loudness"]["integrated_lufs"] if sent else None
        key = (episode_id, state.revision)
        with self._lock:
            drawn = self._drawn.get(key)
        if drawn is None:
            drawn = self._draw(state.document, {recording.id: recording for recording in recordings})
            with self._lock:
                self._drawn[key] = drawn
        return Glance(state.document.length, drawn, lufs, self.step(episode_id))

    def step(self, episode_id: int) -> Step:
        """What an episode needs next."""
        state = self._editing.state(episode_id)
        recordings = self._recordings.of_episode(episode_id)
        sent = self._sending.of_episode(episode_id)
        lying = {clip.recording for track in state.document.tracks if track.kind == "person" for clip in track.clips}
        others = [r for r in recordings if r.id in lying and r.state == "ready"]
        proposals = self._lining_up.proposals(episode_id)
        placed = {proposal.measured.recording for proposal in proposals if proposal.in_place}
        placed |= {proposal.measured.reference for proposal in proposals if proposal.in_place}
        return next_step(Facts(
            recordings=len(recordings),
            coming=[recording.name for recording in recordings if recording.state == "waiting"],
            unsure=[recording.name for recording in recordings if _unsure(recording)],
            unnamed=[recording.name for recording in others if not recording.person],
            people=len(others),
            out_of_step=[_called(recording) for recording in others if recording.id not in placed],
            call=next((_called(recording) for recording in recordings if recording.role == "reference"), None),
            mended=bool(state.document.mendings),
            pruned=bool(state.document.seams),
            edited=state.revision,
            sent=max((delivery.revision for delivery in sent), default=None),
        ))  # fmt: skip

    def _draw(self, document: Document, recordings: dict[int, Recording]) -> list[DrawnPerson]:
        people = [track for track in document.tracks if track.kind == "person" and track.clips and not track.muted]
        return [self._person(track, document, recordings) for track in people[:PEOPLE_DRAWN]]

    def _person(self, track: Track, document: Document, recordings: dict[int, Recording]) -> DrawnPerson:
        cells = np.zeros(-(-document.length // COARSE) + 1, np.uint8)
        stalks = {number: self._stalks(recordings.get(number)) for number in {clip.recording for clip in track.clips}}
        for clip in track.clips:
            own = stalks[clip.recording]
            first, count = clip.start // COARSE, max(clip.length // COARSE, 1)
            there = own[clip.source // COARSE :][:count]
            cells[first : first + len(there)] = np.maximum(cells[first : first + len(there)], there)
        edges = np.linspace(0, len(cells), COLUMNS + 1).astype(int)[:-1]
        levels = np.maximum.reduceat(cells, edges).tolist()
        speech = next((r.facts.get("speech_lufs") for c in track.clips if (r := recordings.get(c.recording))), None)
        return DrawnPerson(track.name, COMMON_LEVEL_LUFS - speech if speech is not None else 0.0, levels)

    def _stalks(self, recording: Recording | None) -> NDArray[np.uint8]:
        """The average of each coarse cell; nothing of a recording that is not here, or would have to be made again."""
        if recording is None or recording.state in (GONE, "waiting", "failed"):
            return np.zeros(0, np.uint8)
        if not self._sounds.is_conformed(recording.id):
            return np.zeros(0, np.uint8)
        pairs = read_stalks(self._sounds.folder(recording.id), LEVELS - 1, 0, 1 << 40)
        return np.frombuffer(pairs, np.uint8)[1::2]


def _unsure(recording: Recording) -> bool:
    return recording.facts.get("purpose", {}).get("sure", 1.0) < SURE


def _called(recording: Recording) -> str:
    return recording.person or recording.name
