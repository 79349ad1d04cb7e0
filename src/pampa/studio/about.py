"""What listeners get besides the sound: title, notes, chapters, artwork; of shows and of episodes."""

import hashlib
from dataclasses import asdict, dataclass, field
from datetime import date
from typing import Any

from sqlalchemy.orm import undefer

from pampa.core.deliver.artwork import LARGEST_PX, Artwork, as_jpeg
from pampa.core.deliver.chapters import Chapter, Timed, timed
from pampa.core.deliver.notes import MOST, USUAL, Told, filled, to_html, to_text
from pampa.core.errors import EditRefused, NotFound
from pampa.core.files.artwork_child import read_artwork
from pampa.core.files.tags import Tags
from pampa.core.sound import RATE
from pampa.core.timeline.document import Document
from pampa.store.database import Sessions
from pampa.store.models import ArtworkRow, Episode, Show
from pampa.studio.editing import Editing

EMBEDDED_PX, CHAPTER_PX = 1400, 600
MOST_LINK = 500


@dataclass(frozen=True)
class Words:
    """What is written about an episode. notes : Markdown of its own; None for what the show's pattern gives.

    kind : full, trailer or bonus. guid : by which players know it for ever; empty until it is first published.
    """

    season: int | None = None
    date: str = ""
    link: str = ""
    notes: str | None = None
    artwork: str = ""
    kind: str = "full"
    explicit: bool = False
    guid: str = ""


@dataclass(frozen=True)
class ShowWords:
    """What is written about a show. wanted : the files that are wanted of each episode, as the page describes them.

    From description on it is for its feed. kind : episodic, or serial where episodes are heard in order. guid : by
    which directories know the show for ever, wherever its feed lies. straight : what is wanted of going straight
    through, once somebody has said so.
    """

    notes_pattern: str = USUAL
    artwork: str = ""
    description: str = ""
    link: str = ""
    language: str = "en"
    category: str = ""
    email: str = ""
    copyright: str = ""
    kind: str = "episodic"
    explicit: bool = False
    guid: str = ""
    straight: dict[str, Any] = field(default_factory=dict)
    wanted: list[dict[str, Any]] = field(default_factory=list)


@dataclass(frozen=True)
class Seen:
    """What listeners will see of an episode. markdown : its notes, filled in. html : the same, safe for a page.

    people : who is heard.
    """

    words: Words
    markdown: str
    html: str
    text: str
    chapters: tuple[Timed, ...]
    artwork: str
    artwork_findings: list[str]
    people: tuple[str, ...] = ()


class About:
    """The words of all shows and episodes."""

    def __init__(self, sessions: Sessions, editing: Editing) -> None:
        self._sessions, self._editing = sessions, editing

    def of_show(self, show_id: int) -> ShowWords:
        with self._sessions() as session:
            show = session.get(Show, show_id)
            if show is None:
                raise NotFound("There is no such show.")
            return ShowWords(**{**asdict(ShowWords()), **show.about})

    def change_show(self, show_id: int, **changes: Any) -> ShowWords:
        """Change some of what is written about a show; None leaves as it is."""
        with self._sessions.begin() as session:
            show = session.get(Show, show_id)
            if show is None:
                raise NotFound("There is no such show.")
            self._check(session, changes)
            show.about = {**show.about, **_told(changes)}
        return self.of_show(show_id)

    def of_episode(self, episode_id: int) -> Words:
        with self._sessions() as session:
            episode = session.get(Episode, episode_id)
            if episode is None or episode.larder:
                raise NotFound("There is no such episode.")
            return _words(episode)

    def change_episode(self, episode_id: int, *, pattern_again: bool = False, **changes: Any) -> Words:
        """Change some of what is written about an episode; None leaves as it is.

        pattern_again : its notes are what the show's pattern gives, whatever was written instead.
        """
        with self._sessions.begin() as session:
            episode = session.get(Episode, episode_id)
            if episode is None or episode.larder:
                raise NotFound("There is no such episode.")
            self._check(session, changes)
            again = {"notes": None} if pattern_again else {}
            episode.about = {**episode.about, **_told(changes), **again}
            return _words(episode)

    def seen(self, episode_id: int, document: Document | None = None) -> Seen:
        """An episode as listeners will see it."""
        document = document or self._editing.state(episode_id).document
        with self._sessions() as session:
            episode = session.get_one(Episode, episode_id)
            show = session.get_one(Show, episode.show_id)
        words, of_show = _words(episode), ShowWords(**{**asdict(ShowWords()), **show.about})
        chapters = timed(self._chapters(document), document.length / RATE)
        people = [track.name for track in document.tracks if track.kind == "person" and track.clips]
        told = Told(
            episode.title, show.name, show.host, episode.number, words.season, words.date or _today(), people, chapters,
            document.length / RATE,
        )  # fmt: skip
        markdown = filled(of_show.notes_pattern if words.notes is None else words.notes, told)
        artwork = words.artwork or of_show.artwork
        known = self._known(artwork)
        findings = known.findings if known else []
        return Seen(
            words, markdown, to_html(markdown), to_text(markdown), chapters, artwork if known else "", findings,
            tuple(people),
        )  # fmt: skip

    def tags(self, episode_id: int, document: Document) -> Tags:
        """What is written into the files of an episode."""
        seen = self.seen(episode_id, document)
        with self._sessions() as session:
            episode = session.get_one(Episode, episode_id)
            show = session.get_one(Show, episode.show_id)
        artwork = as_jpeg(self.artwork(seen.artwork), EMBEDDED_PX) if seen.artwork else b""
        return Tags(
            episode.title, show.name, show.host, episode.number, seen.words.date or _today(), seen.words.season,
            seen.text, seen.words.link, artwork, self._chapters(document, pictures=True),
        )  # fmt: skip

    # -- artwork -----------------------------------------------------------------------------------------------

    def keep_artwork(self, data: bytes) -> str:
        """Keep a picture; returns its hash. Raises SignalError where it is none that can be used."""
        sha256 = hashlib.sha256(data).hexdigest()
        if self._known(sha256) is None:
            artwork, jpeg = read_artwork(data, LARGEST_PX)
            with self._sessions.begin() as session:
                session.merge(ArtworkRow(sha256=sha256, jpeg=jpeg, **asdict(artwork)))
        return sha256

    def artwork(self, sha256: str) -> bytes:
        """A kept picture, as a JPEG."""
        with self._sessions() as session:
            row = session.get(ArtworkRow, sha256, options=[undefer(ArtworkRow.jpeg)])
            if row is None:
                raise NotFound("That picture is not kept any more. Choose it again.")
            return row.jpeg

    def findings(self, sha256: str) -> list[str]:
        """What is not as it should be with a kept picture."""
        known = self._known(sha256)
        return known.findings if known else []

    def _known(self, sha256: str) -> Artwork | None:
        with self._sessions() as session:
            row = session.get(ArtworkRow, sha256) if sha256 else None
            return Artwork(row.kind, row.width, row.height, row.size) if row else None

    def _chapters(self, document: Document, *, pictures: bool = False) -> tuple[Chapter, ...]:
        made = []
        for marker in document.markers:
            if marker.chapter and marker.name.strip():
                picture = self._chapter_picture(marker.picture) if pictures else b""
                made.append(Chapter(marker.at / RATE, marker.name, marker.link, picture, marker.picture))
        return tuple(made)

    def _chapter_picture(self, sha256: str) -> bytes:
        return as_jpeg(self.artwork(sha256), CHAPTER_PX) if self._known(sha256) else b""

    def _check(self, session: Any, changes: dict[str, Any]) -> None:
        picture, link = changes.get("artwork"), changes.get("link")
        if picture and session.get(ArtworkRow, picture) is None:
            raise NotFound("That picture is not kept here. Choose it again. Nothing was changed.")
        if link and not link.startswith(("https://", "http://")):
            raise EditRefused("A link begins with https:// or http://. Nothing was changed.")
        if any(len(changes.get(name) or "") > MOST for name in ("notes", "notes_pattern")):
            raise EditRefused(f"Notes may have {MOST} letters. Nothing was changed.")


def _words(episode: Episode) -> Words:
    return Words(**{**asdict(Words()), **episode.about})


def _told(changes: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in changes.items() if value is not None}


def _today() -> str:
    return date.today().isoformat()
