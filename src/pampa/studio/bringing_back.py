"""A laid-up episode taken in: from this data folder or another one, as a new episode of the show of that name."""

import base64
import json
import os
import re
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pampa.core.errors import disk_errors
from pampa.core.faults import fault_point
from pampa.core.files.archive import Archive, NoArchive, opened_archive
from pampa.core.files.whole import MAKING
from pampa.core.timeline.codec import decode, packed_document
from pampa.core.timeline.document import check
from pampa.store.database import Sessions
from pampa.store.media import Media, safe_suffix
from pampa.store.models import (
    ArtworkRow,
    CheckupRow,
    Delivery,
    Episode,
    FindsRow,
    Lining,
    Piece,
    Recording,
    Show,
    Snapshot,
    Version,
)
from pampa.studio.jobs import Progress
from pampa.studio.larder import sought
from pampa.studio.laying_up import KEPT_OF_PIECES, KEPT_OF_RECORDINGS
from pampa.studio.recordings import GONE


class BringingBack:
    """Takes archives in."""

    def __init__(self, sessions: Sessions, media: Media) -> None:
        self._sessions, self._media = sessions, media

    def bring_back(self, path: Path, progress: Progress = lambda doing, share: None) -> Episode:
        """Take a laid-up episode in; returns the episode it became. Its history begins anew; its versions are there.

        Originals come first, each known by its hash; then everything else in one transaction, so that a stop in between
        leaves nothing but originals that nobody asks for. Raises NoArchive where something in it is damaged.
        """
        with opened_archive(path) as archive:
            try:
                return self._bring_back(archive, path, progress)
            except (KeyError, TypeError, AttributeError) as error:
                raise NoArchive(path.name, "does not tell all that belongs to an episode") from error

    def _bring_back(self, archive: Archive, path: Path, progress: Progress) -> Episode:
        told = archive.told
        names = [name for name in told["files"] if name.startswith("originals/")]
        self._media.require_room(path.stat().st_size)
        for n, name in enumerate(names):
            progress("Bringing back originals", n / max(len(names), 1))
            self._original(archive, name)
        fault_point("brought-originals")
        progress("Bringing back the episode", 0.95)
        with self._sessions.begin() as session:
            episode = self._rows(session, archive, told)
            self._deliveries(session, archive, told, episode)
        return episode

    def _original(self, archive: Archive, name: str) -> None:
        """One original, kept by the hash that its name says."""
        wanted, dot, ending = Path(name).name.partition(".")
        suffix = dot + ending
        if self._media.original(wanted, suffix).exists():
            return
        copy = self._media.root / "uploads" / f"back{MAKING}-{os.getpid()}-{wanted}"
        try:
            with disk_errors(), copy.open("wb") as file:
                found = archive.copy(name, file)
                file.flush()
                os.fsync(file.fileno())
            if found != wanted:
                raise NoArchive(name, "is not what its name says")
            self._media.keep(copy, suffix)
        finally:
            copy.unlink(missing_ok=True)

    def _rows(self, session: Session, archive: Archive, told: dict[str, Any]) -> Episode:
        for artwork in told["artworks"]:
            row = {**artwork, "jpeg": base64.b64decode(artwork["jpeg"])}
            session.merge(ArtworkRow(**row))
        show = session.scalars(select(Show).where(Show.name == told["show"]["name"], Show.archived.is_(False))).first()
        if show is None:
            show = Show(name=told["show"]["name"], host=told["show"]["host"], about=told["show"]["about"])
            session.add(show)
            session.flush()
        of = told["episode"]
        episode = Episode(show_id=show.id, title=of["title"], number=of["number"], about=of["about"],
                          choices=of["choices"], revision=0, position=0)  # fmt: skip
        session.add(episode)
        session.flush()
        numbers = self._recordings(session, told, episode.id)
        document = check(decode(renumbered(json.loads(archive.text("document.json")), numbers)))
        session.add(Snapshot(episode_id=episode.id, position=0, document=packed_document(document)))
        for row in told["checkups"]:
            if row["recording"] in numbers:
                session.add(CheckupRow(recording_id=numbers[row["recording"]], key=row["key"], found=row["found"]))
        for row in told["linings"]:
            if row["recording"] in numbers and row["reference"] in numbers:
                session.add(Lining(
                    episode_id=episode.id, recording_id=numbers[row["recording"]], found=row["found"],
                    reference_id=numbers[row["reference"]], by_hand=row["by_hand"], nudged_ms=row["nudged_ms"],
                ))  # fmt: skip
        if told["finds"]:
            found = renumbered(told["finds"]["found"], numbers)
            session.add(FindsRow(episode_id=episode.id, key=told["finds"]["key"], found=found))
        for version in told["versions"]:
            packed = packed_document(decode(renumbered(version["document"], numbers)))
            session.add(Version(episode_id=episode.id, name=version["name"], revision=0, gist=version["gist"],
                                document=packed, created=datetime.fromisoformat(version["created"])))  # fmt: skip
        self._pieces(session, told, show.id)
        for delivery in told["deliveries"]:
            known = delivery["document"]
            packed_then = packed_document(decode(renumbered(known, numbers))) if known else None
            session.add(Delivery(
                episode_id=episode.id, job_id=None, file=Path(delivery["file"]).name, name=delivery["name"], revision=0,
                sheet=delivery["sheet"], document=packed_then, created=datetime.fromisoformat(delivery["created"]),
            ))  # fmt: skip
        return episode

    def _recordings(self, session: Session, told: dict[str, Any], episode_id: int) -> dict[int, int]:
        """The recordings as rows of the new episode, what is missing as gone; their numbers by those they had."""
        numbers = {}
        for each in told["recordings"]:
            if not re.fullmatch(r"[0-9a-f]{64}", each["sha256"]) or safe_suffix(f"a{each['suffix']}") != each["suffix"]:
                raise NoArchive(each["name"], "is called by something that is no hash of a file")
            there = f"originals/{each['sha256']}{each['suffix']}" in told["files"]
            kept = {name: each[name] for name in KEPT_OF_RECORDINGS}
            row = Recording(episode_id=episode_id, state="ready" if there else GONE, **kept)
            session.add(row)
            session.flush()
            numbers[each["id"]] = row.id
        return numbers

    def _pieces(self, session: Session, told: dict[str, Any], show_id: int) -> None:
        """Pieces that the show's larder here has not."""
        if not told["pieces"]:
            return
        shelf = session.scalar(select(Episode.id).where(Episode.show_id == show_id, Episode.larder))
        if shelf is None:
            made = Episode(show_id=show_id, title="Larder", number=None, larder=True, choices={})
            session.add(made)
            session.flush()
            shelf = made.id
        for each in told["pieces"]:
            known = session.scalar(
                select(func.count()).select_from(Piece).join(Recording, Recording.id == Piece.recording_id)
                .where(Recording.episode_id == shelf, Recording.sha256 == each["sha256"], Piece.start == each["start"],
                       Piece.length == each["length"])
            )  # fmt: skip
            if known or f"originals/{each['sha256']}{each['suffix']}" not in told["files"]:
                continue
            row = Recording(episode_id=shelf, name=each["file"], person=each["name"], role=each["kind"],
                            sha256=each["sha256"], suffix=each["suffix"], size=each["size"], channels=each["channels"],
                            state="ready", facts=each["facts"], placed=True)  # fmt: skip
            session.add(row)
            session.flush()
            piece = Piece(recording_id=row.id, **{name: each[name] for name in KEPT_OF_PIECES})
            piece.sought = sought(piece)
            session.add(piece)

    def _deliveries(self, session: Session, archive: Archive, told: dict[str, Any], episode: Episode) -> None:
        for delivery in told["deliveries"]:
            name = f"deliveries/{delivery['file']}"
            if name not in told["files"]:
                continue
            with disk_errors(), self._media.delivery(episode.id, Path(delivery["file"]).name).open("wb") as file:
                archive.copy(name, file)


def renumbered(plain: Any, numbers: dict[int, int]) -> Any:
    """Plain data with its recordings called by their new numbers."""
    if isinstance(plain, dict):
        return {
            key: numbers.get(value, value)
            if key == "recording" and isinstance(value, int)
            else renumbered(value, numbers)
            for key, value in plain.items()
        }
    return [renumbered(each, numbers) for each in plain] if isinstance(plain, list) else plain
