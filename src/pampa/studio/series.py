"""The series sheet of a show: what everybody sounded like from episode to episode, and who has moved."""

import csv
import io
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select

from pampa.core.errors import EditRefused, NotFound
from pampa.core.series.usual import Departure, departure
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.likeness import Likeness
from pampa.store.database import Sessions
from pampa.store.models import Delivery, Episode, LikenessRow, Show
from pampa.studio.editing import Editing, State
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.likenesses import Likenesses, likeness_from
from pampa.studio.shows import IDENT

KIND = "likeness"


@dataclass(frozen=True)
class Column:
    """An episode on the sheet. integrated_lufs, target_lufs : of the file that was made last.

    stale : it stands otherwise than it was when it was last listened to, or nobody has listened to it.
    """

    id: int
    title: str
    number: int | None
    created: datetime
    archived: bool
    integrated_lufs: float | None
    target_lufs: float | None
    stale: bool


@dataclass(frozen=True)
class Point:
    """A person in an episode. off : from their usual, the episodes before; None for a first time."""

    id: int
    episode: int
    went_out: bool
    heard: Likeness
    off: Departure | None

    @property
    def told(self) -> tuple[str, ...]:
        return self.off.told if self.off else ()


@dataclass(frozen=True)
class Sheet:
    """episodes : in order. people : in how many episodes they are heard, most first."""

    show: Show
    episodes: list[Column]
    people: list[tuple[str, list[Point]]]


class Series:
    """What is known of a show over time."""

    def __init__(self, sessions: Sessions, jobs: Jobs, editing: Editing, likenesses: Likenesses) -> None:
        self._sessions, self._jobs, self._editing, self._likenesses = sessions, jobs, editing, likenesses
        jobs.register(KIND, self._listen)

    def sheet(self, show_id: int) -> Sheet:
        """All that is known of a show's episodes, archived ones too."""
        with self._sessions() as session:
            show = session.get(Show, show_id)
            if show is None:
                raise NotFound("There is no such show.")
            wanted = select(Episode).where(Episode.show_id == show_id, Episode.larder.is_(False))
            episodes = sorted(
                (each for each in session.scalars(wanted) if IDENT not in each.choices), key=_in_order
            )  # fmt: skip
            rows = list(session.scalars(select(LikenessRow).where(LikenessRow.show_id == show_id)))
            latest = (
                select(func.max(Delivery.id)).join(Episode, Episode.id == Delivery.episode_id)
                .where(Episode.show_id == show_id).group_by(Delivery.episode_id)
            )  # fmt: skip
            made = select(Delivery.episode_id, Delivery.sheet).where(Delivery.id.in_(latest))
            sheets = {row.episode_id: row.sheet for row in session.execute(made)}
        shown = _shown(rows)
        heard_at = {row.episode_id: row.revision for row in shown}
        columns = [
            Column(
                each.id, each.title, each.number, each.created, each.archived,
                sheets.get(each.id, {}).get("loudness", {}).get("integrated_lufs"),
                sheets.get(each.id, {}).get("target_lufs"), heard_at.get(each.id, -1) not in (each.revision, None),
            )
            for each in episodes
        ]  # fmt: skip
        return Sheet(show, columns, _people(shown, [each.id for each in episodes]))

    def listen(self, show_id: int) -> list[int]:
        """Begin to listen to every episode that stands otherwise than what is known of it; the jobs' numbers."""
        sheet = self.sheet(show_id)
        due = [each for each in sheet.episodes if each.stale and not each.archived]
        return [
            self._jobs.start(KIND, each.id, f"Listening to the voices of {each.title}", key=f"{KIND} {each.id}")
            for each in due
        ]

    def make_alike(self, show_id: int, episode_id: int, person: str, likeness_id: int) -> State:
        """Make a person in an episode sound as in another one, in tone and gain: one edit there."""
        self.sheet(show_id)
        document = self._editing.state(episode_id).document
        track = next((each for each in document.linked_tracks() if each.name == person), None)
        if track is None:
            raise EditRefused(f"{person} has no track in that episode. Nothing was changed.")
        return self._likenesses.make_alike(episode_id, track.id, likeness_id)

    def _listen(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        progress("Listening to the voices", 0.1)
        self._likenesses.remember(self._editing.state(episode_id), went_out=False)


def as_rows(sheet: Sheet) -> list[dict[str, Any]]:
    """One row for each person in each episode, as it is exported."""
    columns = {each.id: each for each in sheet.episodes}
    rows = []
    for person, points in sheet.people:
        for point in points:
            episode, off = columns[point.episode], point.off
            heard = asdict(point.heard)
            bands = dict(zip((f"{hz:.0f}_hz_db" for hz in BANDS_HZ), heard.pop("spectrum_db"), strict=False))
            rows.append({
                "show": sheet.show.name, "episode": episode.number, "title": episode.title, "person": person,
                "went_out": point.went_out, **heard,
                "level_off_lu": off.level_lu if off else None, "tone_off_db": off.tone_db if off else None,
                "dynamics_off_lu": off.dynamics_lu if off else None, "floor_off_db": off.floor_db if off else None,
                "decay_off_s": off.decay_s if off else None, "moved": "; ".join(point.told),
                "delivered_lufs": episode.integrated_lufs, "target_lufs": episode.target_lufs, **bands,
            })  # fmt: skip
    return rows


def as_csv(rows: Sequence[dict[str, Any]]) -> str:
    """The rows with a line of names above; empty where there is nothing."""
    text = io.StringIO()
    if rows:
        writer = csv.DictWriter(text, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    return text.getvalue()


def _in_order(episode: Episode) -> tuple[bool, int, int]:
    return episode.number is None, episode.number or 0, episode.id


def _shown(rows: Sequence[LikenessRow]) -> list[LikenessRow]:
    """For each person and episode what is newest: as it stands where it was changed since it went out."""
    newest: dict[tuple[int, str], LikenessRow] = {}
    for row in rows:
        before = newest.get((row.episode_id, row.person))
        if before is None or (row.revision or 0, row.went_out) > (before.revision or 0, before.went_out):
            newest[row.episode_id, row.person] = row
    return list(newest.values())


def _people(rows: Sequence[LikenessRow], order: Sequence[int]) -> list[tuple[str, list[Point]]]:
    place = {episode: n for n, episode in enumerate(order)}
    by_person: dict[str, list[LikenessRow]] = defaultdict(list)
    for row in rows:
        if row.episode_id in place:
            by_person[row.person].append(row)
    people = []
    for person, theirs in by_person.items():
        points: list[Point] = []
        for row in sorted(theirs, key=lambda each: place[each.episode_id]):
            heard = likeness_from(row.heard)
            off = departure(heard, [point.heard for point in points])
            points.append(Point(row.id, row.episode_id, row.went_out, heard, off))
        people.append((person, points))
    return sorted(people, key=lambda each: (-len(each[1]), each[0]))
