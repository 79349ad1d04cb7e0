"""Patterns: how a show's episodes usually are, made from one of them, and begun from again."""

from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound
from pampa.core.timeline.codec import brought_up
from pampa.core.timeline.document import Clip, Document, Track, Under
from pampa.store.database import Sessions
from pampa.store.models import Episode, Pattern, Piece, Recording, now
from pampa.studio.editing import Editing, State
from pampa.studio.larder import Larder
from pampa.studio.recordings import Recordings
from pampa.studio.shows import Shows

__all__ = ["Pattern", "Patterns", "talk_end"]

PLAN = ("kind", "bits", "kbit", "target_lufs", "ceiling_dbtp", "mono")
ENDING = "ending"
FORM = 1
"""Of a pattern's content; a way from each older form stands in `UPCASTS`."""
UPCASTS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}


@dataclass(frozen=True)
class Around:
    """A piece of the larder that a pattern sets around the talk. under_lu : how far it lies under that."""

    id: int
    name: str
    under_lu: float


class Patterns:
    """The patterns of all shows."""

    def __init__(self, sessions: Sessions, shows: Shows, editing: Editing, recordings: Recordings,
                 larder: Larder) -> None:  # fmt: skip
        self._sessions, self._shows, self._editing = sessions, shows, editing
        self._recordings, self._larder = recordings, larder

    def of_show(self, show_id: int) -> list[Pattern]:
        """The patterns of a show, the latest first."""
        with self._sessions() as session:
            return list(session.scalars(select(Pattern).where(Pattern.show_id == show_id).order_by(Pattern.id.desc())))

    def make(self, episode_id: int, name: str) -> Pattern:
        """Make a pattern of an episode. Its music, effects and spots are kept in the larder, if they are not yet.

        A pattern of the same name is replaced. What lies nearer to the end of the talk than to the beginning keeps
        its distance from the end.
        """
        name = name.strip()[:120]
        if not name:
            raise EditRefused("A pattern needs a name. Nothing was kept.")
        show, episode = self._shows.episode(episode_id)
        document = self._editing.state(episode_id).document
        if not document.tracks:
            raise EditRefused("There is nothing to make a pattern of yet. Nothing was kept.")
        pieces = self._shelved(episode_id, document)
        end = talk_end(document)
        content = {
            "form": FORM,
            "tracks": [_told(track, pieces, end) for track in document.tracks],
            "ducking_db": document.ducking.depth_db,
            "plan": {key: episode.choices[key] for key in PLAN if key in episode.choices},
        }
        with self._sessions.begin() as session:
            same = session.scalars(select(Pattern).where(Pattern.show_id == show.id, Pattern.name == name)).first()
            pattern = same or Pattern(show_id=show.id, name=name, content={})
            pattern.content = content
            session.add(pattern)
        return pattern

    def forget(self, pattern_id: int) -> None:
        """Drop a pattern. Episodes that began from it stay as they are."""
        with self._sessions.begin() as session:
            session.delete(self._get(session, pattern_id))

    def begin(self, pattern_id: int, title: str, number: int | None = None) -> Episode:
        """A new episode with the pattern's people waiting for their recordings, and the pieces of the beginning.

        Pieces that belong to the end are laid by `lay_ending`, once there is talk to end.
        """
        with self._sessions() as session:
            pattern = self._get(session, pattern_id)
            content = content_of(pattern)
        episode = self._shows.make_episode(pattern.show_id, title, number)
        tracks, ending = [], []
        for told in content["tracks"]:
            clips = []
            for piece in told["pieces"]:
                own = self._borrowed(piece["piece"], episode.id)
                if own is None:
                    continue
                clip = {key: piece[key] for key in ("source", "length", "gain_db", "fade_in", "fade_out")}
                clip |= {"recording": own.id}
                if piece["before_end"] is None:
                    clips.append(clip | {"start": piece["at"]})
                else:
                    ending.append(
                        clip | {"before_end": piece["before_end"], "name": told["name"], "kind": told["kind"]}
                    )
            tracks.append({key: value for key, value in told.items() if key != "pieces"} | {"clips": clips})
        made = {"name": pattern.name, "tracks": tracks, "ducking_db": content["ducking_db"]}
        self._editing.edit(episode.id, "begin", made)
        return self._shows.change_episode(episode.id, choices={**content["plan"], ENDING: ending})

    def around_the_talk(self, show_id: int) -> dict[str, Around]:
        """The pieces that the show's latest pattern has as opening and as ending."""
        patterns = self.of_show(show_id)
        tracks = content_of(patterns[0])["tracks"] if patterns else []
        pieces = [(track, piece) for track in tracks if track["kind"] == "music" for piece in track["pieces"]]
        first = [each for each in pieces if each[1]["before_end"] is None][:1]
        last = [each for each in pieces if each[1]["before_end"] is not None][-1:]
        found = {}
        with self._sessions() as session:
            for what, chosen in (("opening", first), ("ending", last)):
                for track, laid in chosen:
                    piece = session.get(Piece, laid["piece"])
                    if piece is not None:
                        under = Under(**track["under"]) if track["under"] else Under()
                        found[what] = Around(laid["piece"], piece.name, under.lu)
        return found

    def ending(self, episode_id: int) -> list[dict[str, Any]]:
        """Pieces of the pattern that belong to the end and lie on no track yet."""
        _, episode = self._shows.episode(episode_id)
        document = self._editing.state(episode_id).document
        lying = {(c.recording, c.source) for track in document.tracks for c in track.clips}
        return [
            piece for piece in episode.choices.get(ENDING, [])
            if (piece["recording"], piece["source"]) not in lying
        ]  # fmt: skip

    def lay_ending(self, episode_id: int, *, revision: int | None = None) -> State:
        """Lay the pieces of the end, as far from the end of the talk as in the episode the pattern was made of."""
        waiting = self.ending(episode_id)
        document = self._editing.state(episode_id).document
        end = talk_end(document)
        if not waiting:
            raise EditRefused("The ending lies in its place already. Nothing was changed.")
        if not end:
            raise EditRefused("There is no talk to end yet. Bring the recordings in first. Nothing was changed.")
        pieces = [
            {key: value for key, value in piece.items() if key != "before_end"}
            | {"start": max(end - piece["before_end"], 0)}
            for piece in waiting
        ]
        laid = {"name": "the ending", "kind": "music", "pieces": pieces}
        return self._editing.edit(episode_id, "lay", laid, revision=revision)

    def _shelved(self, episode_id: int, document: Document) -> dict[tuple[int, int, int], int]:
        """For each piece that lies in the episode, (recording, source, length), its recording in the larder."""
        names = {recording.id: recording for recording in self._recordings.of_episode(episode_id)}
        kept: dict[int, int] = {}
        shelved = {}
        for track in document.tracks:
            for clip in track.clips if track.kind != "person" else ():
                if clip.recording not in kept:
                    row = names.get(clip.recording)
                    name = row.person or row.name if row else track.name
                    kept[clip.recording] = self._larder.keep(clip.recording, kind=track.kind, name=name)
                shelved[clip.recording, clip.source, clip.length] = kept[clip.recording]
        return shelved

    def _borrowed(self, piece_id: int, episode_id: int) -> Recording | None:
        """The piece as a recording of the episode; None where the larder has lost it."""
        with self._sessions.begin() as session:
            recording = session.get(Recording, piece_id)
            if recording is None or recording.removed:
                return None
            piece = session.get(Piece, piece_id)
            name, kind = (piece.name, piece.kind) if piece else (recording.person, recording.role)
            if piece:
                piece.used = now()
        return self._recordings.borrow(piece_id, episode_id, person=name, role=kind)

    def _get(self, session: Session, pattern_id: int) -> Pattern:
        pattern = session.get(Pattern, pattern_id)
        if pattern is None:
            raise NotFound("There is no such pattern any more.")
        return pattern


def content_of(pattern: Pattern) -> dict[str, Any]:
    """What a pattern holds, as it would be written today."""
    return brought_up(pattern.content, FORM, UPCASTS)


def talk_end(document: Document) -> int:
    """Where the last person stops: the end of the talk in frames; 0 where nobody talks yet."""
    return max((track.clips[-1].end for track in document.tracks if track.kind == "person" and track.clips), default=0)


def _told(track: Track, pieces: dict[tuple[int, int, int], int], end: int) -> dict[str, Any]:
    own: Iterable[Clip] = track.clips if track.kind != "person" else ()
    return {
        "name": track.name, "kind": track.kind, "gain_db": track.gain_db, "treated": track.treated,
        "pinned": track.pinned, "recipe": asdict(track.recipe), "under": asdict(track.under) if track.under else None,
        "pieces": [
            {
                "piece": pieces[clip.recording, clip.source, clip.length], "at": clip.start,
                "before_end": end - clip.start if end - clip.start < clip.start else None, "source": clip.source,
                "length": clip.length, "gain_db": clip.gain_db, "fade_in": clip.fade_in, "fade_out": clip.fade_out,
            }
            for clip in own
        ],
    }  # fmt: skip
