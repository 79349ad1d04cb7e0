"""Shows and their episodes: make, rename, archive, list."""

from typing import Any

from sqlalchemy import func, select

from pampa.core.errors import EditRefused, NotFound
from pampa.store.database import Sessions
from pampa.store.models import Episode, Show

IDENT = "ident"
"""Among the choices of an episode that is a small sheet: its piece in the larder, and of which revision."""


class Shows:
    """What is worked on."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions

    def all_shows(self, *, archived: bool = False) -> list[Show]:
        with self._sessions() as session:
            return list(session.scalars(select(Show).where(Show.archived == archived).order_by(Show.name)))

    def episodes(self, show_id: int, *, archived: bool = False) -> list[Episode]:
        """Episodes of a show, the latest number first."""
        with self._sessions() as session:
            wanted = select(Episode).where(
                Episode.show_id == show_id, Episode.archived == archived, Episode.larder.is_(False)
            )
            found = session.scalars(wanted.order_by(Episode.number.desc(), Episode.id.desc()))
            return [episode for episode in found if IDENT not in episode.choices]

    def idents(self, show_id: int) -> list[Episode]:
        """The small sheets of a show, the latest first."""
        with self._sessions() as session:
            wanted = select(Episode).where(Episode.show_id == show_id, Episode.archived.is_(False))
            found = session.scalars(wanted.order_by(Episode.id.desc()))
            return [episode for episode in found if IDENT in episode.choices]

    def episode(self, episode_id: int) -> tuple[Show, Episode]:
        with self._sessions() as session:
            episode = session.get(Episode, episode_id)
            if episode is None or episode.larder:
                raise NotFound("There is no such episode. It may have been made in another data folder.")
            return session.get_one(Show, episode.show_id), episode

    def make_show(self, name: str, host: str = "") -> Show:
        with self._sessions.begin() as session:
            show = Show(name=_named(name, "show"), host=host.strip())
            session.add(show)
        return show

    def change_show(self, show_id: int, *, name: str | None, host: str | None, archived: bool | None) -> Show:
        with self._sessions.begin() as session:
            show = session.get(Show, show_id)
            if show is None:
                raise NotFound("There is no such show.")
            _change(show, "show", name=name, host=host, archived=archived)
        return show

    def make_episode(self, show_id: int, title: str, number: int | None = None) -> Episode:
        """A new episode, empty; without a number it gets the next one of its show."""
        with self._sessions.begin() as session:
            if session.get(Show, show_id) is None:
                raise NotFound("There is no such show.")
            if number is None:
                last = session.scalar(select(func.max(Episode.number)).where(Episode.show_id == show_id))
                number = (last or 0) + 1
            episode = Episode(show_id=show_id, title=_named(title, "episode"), number=number, choices={})
            session.add(episode)
        return episode

    def make_ident(self, show_id: int, name: str) -> Episode:
        """A new small sheet, which has no number and is not listed with the episodes."""
        with self._sessions.begin() as session:
            if session.get(Show, show_id) is None:
                raise NotFound("There is no such show.")
            made = Episode(show_id=show_id, title=_named(name, "ident"), number=None, choices={IDENT: {}})
            session.add(made)
        return made

    def shelf(self, show_id: int) -> int:
        """The episode that is a show's larder; it is made when it is first asked for."""
        with self._sessions.begin() as session:
            if session.get(Show, show_id) is None:
                raise NotFound("There is no such show.")
            wanted = select(Episode.id).where(Episode.show_id == show_id, Episode.larder)
            shelf = session.scalar(wanted)
            if shelf is None:
                made = Episode(show_id=show_id, title="Larder", number=None, larder=True, choices={})
                session.add(made)
                session.flush()
                shelf = made.id
        return shelf

    def change_episode(self, episode_id: int, *, title: str | None = None, number: int | None = None,
                       archived: bool | None = None, choices: dict[str, Any] | None = None) -> Episode:  # fmt: skip
        """Rename, renumber, archive; `choices` are remembered for the episode's page."""
        with self._sessions.begin() as session:
            episode = session.get(Episode, episode_id)
            if episode is None:
                raise NotFound("There is no such episode.")
            merged = None if choices is None else {**episode.choices, **choices}
            _change(episode, "episode", title=title, number=number, archived=archived, choices=merged)
        return episode


def _change(row: Show | Episode, kind: str, **changes: Any) -> None:
    for name, value in changes.items():
        if value is not None:
            setattr(row, name, _named(value, kind) if name in ("name", "title") else value)


def _named(text: str, kind: str) -> str:
    text = text.strip()[:200]
    if not text:
        article = "A" if kind == "show" else "An"
        raise EditRefused(f"{article} {kind} needs a name. Nothing was changed.")
    return text
