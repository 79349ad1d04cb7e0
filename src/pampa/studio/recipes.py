"""Recipes of Mend: a set of amounts kept under a name with a show and the person it was made for."""

from dataclasses import asdict

from sqlalchemy import select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound
from pampa.core.mend.amounts import Amounts
from pampa.store.database import Sessions
from pampa.store.models import MendRecipe, Recording
from pampa.studio.editing import Editing
from pampa.studio.shows import Shows

__all__ = ["MendRecipe", "Recipes"]

MOST = 100


class Recipes:
    """The recipes of all shows."""

    def __init__(self, sessions: Sessions, shows: Shows, editing: Editing) -> None:
        self._sessions, self._shows, self._editing = sessions, shows, editing

    def of_recording(self, recording_id: int) -> list[MendRecipe]:
        """The recipes of its show: first those of the same person, then by name."""
        with self._sessions() as session:
            recording = self._recording(session, recording_id)
            found = session.scalars(select(MendRecipe).where(MendRecipe.show_id == self._show_of(recording)))
            return sorted(found, key=lambda recipe: (recipe.person != recording.person, recipe.name.casefold()))

    def keep(self, recording_id: int, name: str) -> MendRecipe:
        """Keep how a recording is mended now. What belongs to its places is left out; one of that name is replaced."""
        name = name.strip()[:120]
        if not name:
            raise EditRefused("A recipe needs a name, so that you find it again. Nothing was kept.")
        with self._sessions.begin() as session:
            recording = self._recording(session, recording_id)
            amounts = self._editing.state(recording.episode_id).document.amounts(recording_id).alike()
            if amounts == Amounts():
                raise EditRefused("Nothing is mended on this recording yet. Switch something on, then keep it.")
            show = self._show_of(recording)
            kept = session.scalars(select(MendRecipe).where(MendRecipe.show_id == show)).all()
            same = next((recipe for recipe in kept if recipe.name == name), None)
            if same is None and len(kept) >= MOST:
                raise EditRefused(f"{MOST} recipes are kept already. Let one go first. Nothing was kept.")
            recipe = same or MendRecipe(show_id=show, name=name)
            recipe.person = recording.person
            recipe.amounts = {process: amount for process, amount in asdict(amounts).items() if process != "among"}
            session.add(recipe)
        return recipe

    def forget(self, recipe_id: int) -> None:
        """Let a recipe go. What was mended by it stays so."""
        with self._sessions.begin() as session:
            recipe = session.get(MendRecipe, recipe_id)
            if recipe is None:
                raise NotFound("That recipe is not kept any more. Nothing was changed.")
            session.delete(recipe)

    def _show_of(self, recording: Recording) -> int:
        return self._shows.episode(recording.episode_id)[0].id

    @staticmethod
    def _recording(session: Session, recording_id: int) -> Recording:
        recording = session.get(Recording, recording_id)
        if recording is None:
            raise NotFound("There is no such recording.")
        return recording
