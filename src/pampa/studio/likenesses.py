"""What each person sounded like in episodes that went out, and a voice made like it was in one of them."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from sqlalchemy import delete, select

from pampa.core.errors import EditRefused, NotFound
from pampa.core.series.usual import departure
from pampa.core.timeline.document import Document, Track
from pampa.core.voice.fitting import corrected
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.likeness import Likeness, likeness_of
from pampa.store.database import Sessions
from pampa.store.models import Episode, LikenessRow
from pampa.studio.editing import Editing, State
from pampa.studio.recipes import main_recording
from pampa.studio.shows import Shows
from pampa.studio.sounds import Sounds
from pampa.studio.voices import Voices

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

    def remember(self, state: State, *, went_out: bool = True) -> None:
        """Keep what each person sounds like in an episode, in place of what was kept of it before.

        went_out : False for an episode as it stands; what went out of it stays known beside that.
        """
        found = {track.name: self._likeness(state.document, track) for track in state.document.linked_tracks()}
        known = {person: heard for person, heard in found.items() if heard is not None and heard.spectrum_db}
        self.keep(state.episode_id, known, revision=state.revision, went_out=went_out)

    def keep(self, episode_id: int, known: Mapping[str, Likeness], *, revision: int, went_out: bool) -> None:
        """Keep what is known of people in an episode, in place of what was."""
        show, _ = self._shows.episode(episode_id)
        before = delete(LikenessRow).where(LikenessRow.episode_id == episode_id)
        with self._sessions.begin() as session:
            session.execute(before if went_out else before.where(LikenessRow.went_out.is_(False)))
            session.add_all(
                LikenessRow(
                    show_id=show.id, episode_id=episode_id, person=person, heard=asdict(heard), revision=revision,
                    went_out=went_out,
                )
                for person, heard in known.items()
            )  # fmt: skip

    def of_person(self, episode_id: int, person: str) -> list[Remembered]:
        """The other episodes of the show in which a person went out, the latest first."""
        show, _ = self._shows.episode(episode_id)
        with self._sessions() as session:
            rows = session.execute(
                select(LikenessRow, Episode)
                .join(Episode, Episode.id == LikenessRow.episode_id)
                .where(
                    LikenessRow.show_id == show.id,
                    LikenessRow.person == person,
                    LikenessRow.episode_id != episode_id,
                    LikenessRow.went_out,
                )
                .order_by(LikenessRow.id.desc())
            ).all()
        return [_remembered(row, episode) for row, episode in rows]

    def strayed(self, state: State) -> list[tuple[str, str]]:
        """Who sounds far from how they usually went out in this show, and by how much, in words."""
        told = []
        for track in state.document.linked_tracks():
            before = [each.heard for each in reversed(self.of_person(state.episode_id, track.name))]
            now = self._likeness(state.document, track) if before else None
            moved = departure(now, before) if now is not None and now.spectrum_db else None
            if moved is not None and moved.told:
                told.append((track.name, ", ".join(moved.told)))
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
    return Remembered(row.id, episode.id, episode.title, episode.number, row.person, likeness_from(row.heard))


def likeness_from(heard: dict[str, Any]) -> Likeness:
    """A likeness as it is kept."""
    return Likeness(**{**heard, "spectrum_db": tuple(heard["spectrum_db"])})
