"""Recipes: how recordings are mended and a voice is treated, kept under a name with a show and the person."""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound
from pampa.core.mend.amounts import Amounts, amounts_of
from pampa.core.timeline.document import Document, Track
from pampa.core.timeline.recipe_files import Written, from_json, to_json
from pampa.core.voice.recipe import UNTREATED, Recipe
from pampa.core.voice.stages import STAGES
from pampa.core.voice.starts import STARTS
from pampa.store.database import Sessions
from pampa.store.models import Episode, KeptRecipe, Recording
from pampa.studio.editing import Editing, State
from pampa.studio.shows import Shows

MOST = 100
MENDING = "mending"
PARTS = (MENDING, *(stage.name for stage in STAGES))
"""What of a recipe can be applied by itself: the amounts of Mend, and each stage of the chain."""
OF_PLACES = ("among", "spots", "noise_from", "noise_to")


@dataclass(frozen=True)
class LastTime:
    """How the same person was treated in the latest other episode of the show."""

    episode: str
    amounts: Amounts
    voice: Recipe


class Recipes:
    """The recipes of all shows."""

    def __init__(self, sessions: Sessions, shows: Shows, editing: Editing) -> None:
        self._sessions, self._shows, self._editing = sessions, shows, editing

    # -- kept ------------------------------------------------------------------------------------------------

    def of_episode(self, episode_id: int, person: str = "") -> list[KeptRecipe]:
        """The recipes of its show: first those of the person, then by name."""
        show = self._show_of(episode_id)
        with self._sessions() as session:
            found = session.scalars(select(KeptRecipe).where(KeptRecipe.show_id == show))
            return sorted(found, key=lambda recipe: (recipe.person != person, recipe.name.casefold()))

    def of_recording(self, recording_id: int) -> list[KeptRecipe]:
        """The same, first those of the person who is heard in a recording."""
        with self._sessions() as session:
            recording = self._recording(session, recording_id)
        return self.of_episode(recording.episode_id, recording.person)

    def keep(self, recording_id: int, name: str) -> KeptRecipe:
        """Keep how a recording is mended now, and how the voice on its track is treated."""
        with self._sessions() as session:
            recording = self._recording(session, recording_id)
        document = self._editing.state(recording.episode_id).document
        amounts = document.amounts(recording_id)
        if amounts == Amounts():
            raise EditRefused("Nothing is mended on this recording yet. Switch something on, then keep it.")
        lies = [track for track in document.tracks if any(clip.recording == recording_id for clip in track.clips)]
        voice = lies[0].recipe if lies and lies[0].treated and lies[0].linked else None
        written = Written(name, recording.person, amounts, voice)
        return self._keep(recording.episode_id, written)

    def keep_of_track(self, episode_id: int, track_id: int, name: str) -> KeptRecipe:
        """Keep how the voice on a track is treated now, and how the recording of which most lies there is mended."""
        document = self._editing.state(episode_id).document
        track = document.track(track_id)
        amounts = document.amounts(main) if (main := main_recording(track)) is not None else Amounts()
        return self._keep(episode_id, Written(name, track.name, amounts or None, track.recipe))

    def keep_file(self, episode_id: int, text: str, called: str) -> KeptRecipe:
        """Keep what a recipe file holds. Raises EditRefused where it is none."""
        return self._keep(episode_id, from_json(text, called=called))

    def file(self, recipe_id: int) -> tuple[str, str]:
        """A recipe as the text of a file, and its name."""
        with self._sessions() as session:
            recipe = self._recipe(session, recipe_id)
        amounts = amounts_of(recipe.amounts) if recipe.amounts else None
        voice = Recipe(**{**asdict(UNTREATED), **recipe.voice}) if recipe.voice else None
        return to_json(Written(recipe.name, recipe.person, amounts, voice)), recipe.name

    def forget(self, recipe_id: int) -> None:
        """Let a recipe go. What was treated by it stays so."""
        with self._sessions.begin() as session:
            session.delete(self._recipe(session, recipe_id))

    # -- applied ---------------------------------------------------------------------------------------------

    def apply(self, episode_id: int, recipe_id: int, tracks: Sequence[int], *, parts: Collection[str] = PARTS,
              revision: int | None = None) -> State:  # fmt: skip
        """Treat the voices on tracks by a recipe, whole or in part, in one edit."""
        with self._sessions() as session:
            recipe = self._recipe(session, recipe_id)
        return self.treat(episode_id, tracks, recipe.voice, amounts=recipe.amounts, name=recipe.name, parts=parts,
                          revision=revision)  # fmt: skip

    def start(self, episode_id: int, start: str, tracks: Sequence[int], *, parts: Collection[str] = PARTS,
              revision: int | None = None) -> State:  # fmt: skip
        """Treat the voices on tracks from a starting point. How they are mended stays, and their level too where the
        starting point is not about it."""
        if start not in STARTS:
            raise NotFound("There is no such starting point. Nothing was changed.")
        voice = asdict(STARTS[start])
        if not voice["level"]:
            del voice["level"]
        return self.treat(episode_id, tracks, voice, name=start, parts=parts, revision=revision)

    def as_last_time(self, episode_id: int, track_id: int, *, revision: int | None = None) -> State:
        """Treat a voice as in the latest other episode that the person was in."""
        last = self.last_time(episode_id, self._editing.state(episode_id).document.track(track_id).name)
        if last is None:
            raise EditRefused("This person was in no other episode of the show yet. Nothing was changed.")
        amounts = asdict(last.amounts) if last.amounts != Amounts() else {}
        return self.treat(episode_id, [track_id], asdict(last.voice), amounts=amounts, name=last.episode,
                          revision=revision)  # fmt: skip

    def last_time(self, episode_id: int, person: str) -> LastTime | None:
        """How a person was treated in the latest other episode of the show where anything was done to their voice."""
        show = self._show_of(episode_id)
        with self._sessions() as session:
            others = session.execute(
                select(Episode.id, Episode.title)
                .where(Episode.show_id == show, Episode.larder.is_(False), Episode.id != episode_id)
                .order_by(Episode.id.desc())
            ).all()
        for number, title in others:
            document = self._editing.state(number).document
            for track in document.linked_tracks():
                if track.name == person and track.clips and track.treated:
                    main = main_recording(track)
                    amounts = Amounts() if main is None else document.amounts(main).alike()
                    return LastTime(title, amounts, track.recipe)
        return None

    def treat(self, episode_id: int, tracks: Sequence[int], voice: Mapping[str, Any], *, name: str,
              amounts: Mapping[str, Any] | None = None, parts: Collection[str] = PARTS, revision: int | None = None
              ) -> State:  # fmt: skip
        """Treat the voices on tracks, whole or in part, in one edit. What a recipe does not set stays as it is."""
        document = self._editing.state(episode_id).document
        settings = _settings_of(parts)
        chosen = {key: value for key, value in voice.items() if key in settings}
        voices = [[number, asdict(replace(document.track(number).recipe, **chosen))] for number in tracks]
        mendings = []
        if amounts and MENDING in parts:
            for number in sorted(_recordings_on(document, tracks)):
                here = asdict(document.amounts(number))
                mendings.append([number, {**amounts, **{key: here[key] for key in OF_PLACES}}])
        if not voices:
            raise EditRefused("Choose whose voice is to be treated. Nothing was changed.")
        told = {"name": name[:80], "voices": voices if chosen else [], "mendings": mendings}
        return self._editing.edit(episode_id, "apply_recipe", told, revision=revision)

    def _keep(self, episode_id: int, written: Written) -> KeptRecipe:
        name = written.name.strip()[:120]
        if not name:
            raise EditRefused("A recipe needs a name, so that you find it again. Nothing was kept.")
        show = self._show_of(episode_id)
        amounts = {} if written.mending in (None, Amounts()) else asdict(written.mending.alike())
        with self._sessions.begin() as session:
            kept = session.scalars(select(KeptRecipe).where(KeptRecipe.show_id == show)).all()
            same = next((recipe for recipe in kept if recipe.name == name), None)
            if same is None and len(kept) >= MOST:
                raise EditRefused(f"{MOST} recipes are kept already. Let one go first. Nothing was kept.")
            recipe = same or KeptRecipe(show_id=show, name=name)
            recipe.person = written.person
            recipe.amounts = {key: value for key, value in amounts.items() if key not in OF_PLACES}
            recipe.voice = {} if written.voice is None else asdict(written.voice)
            session.add(recipe)
        return recipe

    def _show_of(self, episode_id: int) -> int:
        return self._shows.episode(episode_id)[0].id

    @staticmethod
    def _recipe(session: Session, recipe_id: int) -> KeptRecipe:
        recipe = session.get(KeptRecipe, recipe_id)
        if recipe is None:
            raise NotFound("That recipe is not kept any more. Nothing was changed.")
        return recipe

    @staticmethod
    def _recording(session: Session, recording_id: int) -> Recording:
        recording = session.get(Recording, recording_id)
        if recording is None:
            raise NotFound("There is no such recording.")
        return recording


def main_recording(track: Track) -> int | None:
    """The recording of which most lies on a track; None on an empty one."""
    lengths: Counter[int] = Counter()
    for clip in track.clips:
        lengths[clip.recording] += clip.length
    return lengths.most_common(1)[0][0] if lengths else None


def _settings_of(parts: Collection[str]) -> set[str]:
    """The settings of a voice that belong to the parts named; all of them bring the amount of nearness along."""
    named = {setting.name for stage in STAGES if stage.name in parts for setting in stage.settings}
    return named | {"nearer"} if set(PARTS) <= {*parts, MENDING} else named


def _recordings_on(document: Document, tracks: Sequence[int]) -> set[int]:
    return {clip.recording for number in tracks for clip in document.track(number).clips}
