"""Lining up: measure how recordings lie against a reference, look and listen, and put people in step by one edit."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound
from pampa.core.sound import RATE, FloatArray, extents
from pampa.core.sync.align import Alignment, Break, Point, align_sounds
from pampa.core.sync.clock import Clock, through
from pampa.core.sync.compare import Way, listen, places_to_look, side_by_side
from pampa.core.sync.features import Mono, at_work_rate
from pampa.core.timeline.in_step import Lie, moves, recordings_of, room_for
from pampa.store.database import Sessions
from pampa.store.models import Lining, Recording
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.sounds import Sounds

VIEW_S = 2.4
"""Seconds of each of the three places that are drawn."""


@dataclass(frozen=True)
class Measured:
    """How one recording lies against a reference, measured or set by hand, and moved by hand since."""

    recording: int
    reference: int
    found: Alignment
    by_hand: bool
    nudged_ms: float

    @property
    def clock(self) -> Clock:
        return Clock(self.found.clock.offset_s + self.nudged_ms / 1000, self.found.clock.drift_ppm)


@dataclass(frozen=True)
class Proposal:
    """What was measured, whether the sheet has it so, and three places of the reference's time to look at."""

    measured: Measured
    in_place: bool
    views_s: tuple[float, ...]


class LiningUp:
    """The proposals of all episodes."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, editing: Editing,
                 sounds: Sounds) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events = sessions, jobs, events
        self._editing, self._sounds = editing, sounds
        jobs.register("line up", self._measure)

    def start(self, episode_id: int, reference: int, recordings: Sequence[int] | None = None) -> int:
        """Begin measuring recordings (everybody on a track, if none are named); returns the job's number."""
        with self._sessions() as session:
            held = _ready(session, episode_id)
        if reference not in held:
            raise EditRefused("The reference has not been brought in yet, or is not on the list. Nothing was moved.")
        people = recordings_of(self._editing.state(episode_id).document, "person")
        chosen = people if recordings is None else list(recordings)
        chosen = [r for r in chosen if r != reference and r in held]
        if not chosen:
            raise EditRefused("There is nobody to line up with it. Bring the people's own recordings in first.")
        if any(held[r].sha256 == held[reference].sha256 for r in chosen):
            raise EditRefused(
                "The reference and a recording are the very same file. Nothing was moved. Choose the call, or "
                "another person, as the reference."
            )
        return self._jobs.start("line up", episode_id, "Lining up", reference=reference, recordings=chosen)

    def proposals(self, episode_id: int) -> list[Proposal]:
        """What was found or set by hand, in the order of the tracks."""
        document = self._editing.state(episode_id).document
        order = recordings_of(document)
        measured, frames = self._measured(episode_id)
        to_move = {move["recording"] for move in moves(document, _lies(measured, frames))}
        measured.sort(key=lambda m: order.index(m.recording) if m.recording in order else len(order))
        return [
            Proposal(
                m, m.found.matched and m.recording in order and m.recording not in to_move,
                places_to_look(m.found, frames[m.reference] / RATE, frames[m.recording] / RATE, VIEW_S)
                if m.found.matched else (),
            )
            for m in measured
        ]  # fmt: skip

    def set_by_hand(self, episode_id: int, recording: int, reference: int, pairs: list[tuple[float, float]]) -> None:
        """Take places that a person says are the same moment: one for the offset, two for drift too.

        With one, a drift that was measured before stays.
        """
        measured, frames = self._measured(episode_id)
        if recording not in frames or reference not in frames:
            raise NotFound("That recording is not on the list of this episode any more. Nothing was changed.")
        known = next((m for m in measured if m.recording == recording and m.found.matched), None)
        clock = through(pairs, drift_ppm=known.clock.drift_ppm if known else 0.0)
        points = tuple(Point(local, heard - local, 1.0) for local, heard in pairs)
        found = Alignment(clock, 1.0, True, (), points, 0.0, "")
        self._store(episode_id, recording, reference, found, by_hand=True)

    def nudge(self, episode_id: int, recording: int, ms: float) -> None:
        """Move a proposal later by some milliseconds."""
        with self._sessions.begin() as session:
            row = session.get(Lining, (episode_id, recording))
            if row is None:
                raise NotFound("That recording has not been measured yet. Line it up first.")
            row.nudged_ms += ms
        self._events.post(Event("lining", episode_id))

    def apply(self, episode_id: int, *, revision: int | None = None) -> State:
        """Put everybody in step who was found or set by hand. One edit; whoever was not found stays.

        The person on the first track stays as they are and keeps their clock; the others come to them.
        """
        edit = self.told(episode_id)
        if edit is None:
            raise EditRefused("Everybody who was found lies as measured already. Nothing was moved.")
        made = self._editing.edit(episode_id, "line_up", edit, revision=revision)
        self._events.post(Event("lining", episode_id))
        return made

    def told(self, episode_id: int) -> dict[str, Any] | None:
        """What `apply` would tell its edit; None where nobody would move."""
        document = self._editing.state(episode_id).document
        measured, frames = self._measured(episode_id)
        tracks = moves(document, _lies(measured, frames))
        if not tracks:
            return None
        names = ", ".join(document.track(move["track"]).name for move in tracks)
        return {"tracks": tracks, "room": room_for(document, tracks), "name": names}

    def view(self, episode_id: int, recording: int, at_s: float, points: int) -> bytes:
        """Reference and recording around a place, drawn: int16 pairs of lowest and highest, one after the other."""
        one, other = self._beside(episode_id, recording, at_s, VIEW_S)
        return b"".join(extents(_full(sound)[:, None], points).tobytes() for sound in (one, other))

    def sound(self, episode_id: int, recording: int, at_s: float, seconds: float, way: Way) -> FloatArray:
        """Reference and recording for the ears."""
        return listen(*self._beside(episode_id, recording, at_s, seconds), way)

    def _beside(self, episode_id: int, recording: int, at_s: float, seconds: float) -> tuple[Mono, Mono]:
        measured = next((m for m in self._measured(episode_id)[0] if m.recording == recording), None)
        if measured is None:
            raise NotFound("That recording has not been measured yet. Line it up first.")
        jumped = sum(cut.jump_s for cut in measured.found.breaks if measured.clock.to_reference(cut.at_s) <= at_s)
        clock = Clock(measured.clock.offset_s + jumped, measured.clock.drift_ppm)
        reference, local = self._sounds.conformed(measured.reference), self._sounds.conformed(recording)
        return side_by_side(reference, local, clock, at_s=at_s, seconds=seconds)

    def _measured(self, episode_id: int) -> tuple[list[Measured], dict[int, int]]:
        """What is kept of an episode, and the length of each of its recordings."""
        with self._sessions() as session:
            held = _ready(session, episode_id)
            rows = session.scalars(select(Lining).where(Lining.episode_id == episode_id)).all()
        measured = [
            Measured(row.recording_id, row.reference_id, _alignment(row.found), row.by_hand, row.nudged_ms)
            for row in rows
            if row.recording_id in held and row.reference_id in held
        ]
        return measured, {number: recording.facts["conformed_frames"] for number, recording in held.items()}

    def _measure(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        self.measure(self._jobs.episode_of(job_id), parameters["reference"], parameters["recordings"], progress)

    def measure(self, episode_id: int, reference: int, recordings: Sequence[int], progress: Progress) -> None:
        """Measure how recordings lie against a reference, now; the proposals tell what was found."""
        progress("Reading the reference", 0.02)
        heard = at_work_rate(self._sounds.conformed(reference))
        for index, recording in enumerate(recordings):
            with self._sessions() as session:
                row = session.get(Recording, recording)
            name = (row.person or row.name) if row else ""
            progress(f"Listening to {name}", 0.1 + 0.9 * index / len(recordings))
            local = at_work_rate(self._sounds.conformed(recording))
            progress(f"Comparing {name}", 0.1 + 0.9 * (index + 0.3) / len(recordings))
            self._store(episode_id, recording, reference, align_sounds(heard, local))

    def _store(self, episode_id: int, recording: int, reference: int, found: Alignment, *, by_hand: bool = False
               ) -> None:  # fmt: skip
        with self._sessions.begin() as session:
            session.execute(delete(Lining).where(Lining.episode_id == episode_id, Lining.reference_id != reference))
            session.merge(Lining(episode_id=episode_id, recording_id=recording, reference_id=reference,
                                 found=asdict(found), by_hand=by_hand, nudged_ms=0.0))  # fmt: skip
        self._events.post(Event("lining", episode_id))


def _lies(measured: Sequence[Measured], frames: dict[int, int]) -> dict[int, Lie]:
    """How everybody lies who was found; the reference lies where it is, should it be on the sheet too."""
    lies = {m.recording: Lie(m.clock, frames[m.recording], m.found.breaks) for m in measured if m.found.matched}
    if lies:
        lies[measured[0].reference] = Lie(Clock(0.0, 0.0), frames[measured[0].reference])
    return lies


def _full(sound: Mono) -> Mono:
    """As high as the drawing: how two waves lie is seen, not how loud they are."""
    peak = float(np.abs(sound).max()) if sound.size else 0.0
    return sound / np.float32(peak) if peak > 1e-5 else sound


def _ready(session: Session, episode_id: int) -> dict[int, Recording]:
    wanted = select(Recording).where(
        Recording.episode_id == episode_id, Recording.removed.is_(False), Recording.state == "ready"
    )
    return {recording.id: recording for recording in session.scalars(wanted)}


def _alignment(found: dict[str, Any]) -> Alignment:
    return Alignment(
        **{
            **found,
            "clock": Clock(**found["clock"]),
            "breaks": tuple(Break(**cut) for cut in found["breaks"]),
            "points": tuple(Point(**point) for point in found["points"]),
        }
    )
