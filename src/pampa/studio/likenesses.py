"""What each person sounded like in episodes that went out, and a voice made like it was in one of them."""

from dataclasses import asdict, dataclass

import numpy as np
from sqlalchemy import delete, select

from pampa.core.errors import EditRefused, NotFound
from pampa.core.timeline.document import Document, Track
from pampa.core.voice.fitting import corrected
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.likeness import SHOWN_HZ, Likeness, likeness_of
from pampa.store.database import Sessions
from pampa.store.models import Episode, LikenessRow
from pampa.studio.editing import Editing, State
from pampa.studio.recipes import main_recording
from pampa.studio.shows import Shows
from pampa.studio.sounds import Sounds
from pampa.studio.voices import Voices

USUAL_OVER = 5
"""So many episodes, the latest, tell how a person usually sounds."""
STRAYED_LU, STRAYED_DB = 3.0, 4.0
"""What is plainly heard as another distance or another room: so far, or so much over the whole spectrum."""
MEASURED = 6
"""Segments with most speech, two minutes of them, that tell how even a voice is."""


@dataclass(frozen=True)
class Remembered:
    """A person in an episode that went out."""

    id: int
    episode_id: int
    episode: str
    number: int | None
    person: str
    heard: Likeness


class Likenesses:
    """The memory of all shows."""

    def __init__(self, sessions: Sessions, shows: Shows, editing: Editing, sounds: Sounds, voices: Voices) -> None:
        self._sessions, self._shows, self._editing = sessions, shows, editing
        self._sounds, self._voices = sounds, voices

    def remember(self, state: State) -> None:
        """Keep what each person sounds like in an episode, in place of what was kept of it before."""
        show, _ = self._shows.episode(state.episode_id)
        found = {track.name: self._likeness(state.document, track) for track in state.document.linked_tracks()}
        with self._sessions.begin() as session:
            session.execute(delete(LikenessRow).where(LikenessRow.episode_id == state.episode_id))
            for person, likeness in found.items():
                if likeness is not None and likeness.spectrum_db:
                    session.add(
                        LikenessRow(show_id=show.id, episode_id=state.episode_id, person=person, heard=asdict(likeness))
                    )

    def of_person(self, episode_id: int, person: str) -> list[Remembered]:
        """The other episodes of the show in which a person went out, the latest first."""
        show, _ = self._shows.episode(episode_id)
        with self._sessions() as session:
            rows = session.execute(
                select(LikenessRow, Episode)
                .join(Episode, Episode.id == LikenessRow.episode_id)
                .where(
                    LikenessRow.show_id == show.id, LikenessRow.person == person, LikenessRow.episode_id != episode_id
                )
                .order_by(LikenessRow.id.desc())
            ).all()
        return [_remembered(row, episode) for row, episode in rows]

    def strayed(self, state: State) -> list[tuple[str, str]]:
        """Who sounds far from how they usually went out in this show, and by how much, in words."""
        told = []
        for track in state.document.linked_tracks():
            before = [each.heard for each in self.of_person(state.episode_id, track.name)][:USUAL_OVER]
            now = self._likeness(state.document, track) if before else None
            if now is None or not now.spectrum_db:
                continue
            levels = [each.speech_lufs for each in before if each.speech_lufs is not None]
            if levels and now.speech_lufs is not None:
                off = now.speech_lufs - float(np.median(levels))
                if abs(off) > STRAYED_LU:
                    told.append((track.name, f"{abs(off):.1f} LU {'louder' if off > 0 else 'softer'}"))
                    continue
            usual = np.median([each.spectrum_db for each in before if each.spectrum_db], axis=0)
            shown = (SHOWN_HZ[0] <= BANDS_HZ) & (SHOWN_HZ[1] >= BANDS_HZ)
            apart = float(np.sqrt(np.mean((np.array(now.spectrum_db) - usual)[shown] ** 2)))
            if apart > STRAYED_DB:
                told.append((track.name, f"tone {apart:.1f} dB off"))
        return told

    def make_alike(self, episode_id: int, track_id: int, likeness_id: int, *, revision: int | None = None) -> State:
        """Correct the tone and the gain of a voice towards what the person was in another episode: one edit.

        The recipe stays; its bands move by 3 dB at most.
        """
        document = self._editing.state(episode_id).document
        track = document.track(track_id)
        with self._sessions() as session:
            row = session.get(LikenessRow, likeness_id)
            episode = session.get(Episode, row.episode_id) if row else None
        if row is None or episode is None:
            raise NotFound("What that episode sounded like is not kept any more. Nothing was changed.")
        then, recording = _remembered(row, episode), main_recording(track)
        if recording is None or not track.linked or not track.treated:
            raise EditRefused("Nobody who is treated lies on this track. Switch Treated on first. Nothing was changed.")
        opened = self._voices.opened(document, track, recording)
        speech, room = self._sounds.heard_treated(recording, opened).levels_db
        recipe = corrected(track.recipe, BANDS_HZ, speech, room, np.array(then.heard.spectrum_db))
        told = {"name": then.episode[:80], "voices": [[track_id, asdict(recipe)]], "mendings": [],
                "gains": [[track_id, then.heard.gain_db]]}  # fmt: skip
        return self._editing.edit(episode_id, "apply_recipe", told, revision=revision)

    def _likeness(self, document: Document, track: Track) -> Likeness | None:
        recording = main_recording(track)
        if recording is None or not track.treated:
            return None
        opened = self._voices.opened(document, track, recording)
        gain_db = self._sounds.level_db(recording, opened.rendition) + track.gain_db
        heard, energy = (
            self._sounds.heard_treated(recording, opened),
            self._sounds.treated_energy(recording, opened, count=MEASURED),
        )
        return likeness_of(heard, energy, gain_db, track.gain_db)


def _remembered(row: LikenessRow, episode: Episode) -> Remembered:
    heard = {**row.heard, "spectrum_db": tuple(row.heard["spectrum_db"])}
    return Remembered(row.id, episode.id, episode.title, episode.number, row.person, Likeness(**heard))
