"""Episodes laid up: all of one in a single archive, its room on the disk freed, and brought back, here or elsewhere."""

import base64
import json
import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from pampa import __version__
from pampa.core.errors import EditRefused, NotFound, PampaError, disk_errors
from pampa.core.faults import fault_point
from pampa.core.files.archive import NoArchive, opened_archive, write_archive
from pampa.core.files.whole import MAKING
from pampa.core.timeline.codec import encode, plain_document
from pampa.store.database import Sessions
from pampa.store.media import Media, safe_name
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
    Version,
)
from pampa.studio.editing import Editing
from pampa.studio.exchange import Exchange
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.shows import Shows
from pampa.studio.space import Space

KEPT_OF_RECORDINGS = (
    "name", "person", "role", "sha256", "suffix", "size", "channels", "drift_ppm", "offset", "placed", "removed",
    "rank", "facts",
)  # fmt: skip
KEPT_OF_PIECES = ("name", "kind", "tags", "start", "length", "loudness_lufs", "bpm")


@dataclass(frozen=True)
class LaidUp:
    """An archive that lies in the data folder. missing : originals that were not there when it was made."""

    name: str
    show: str
    title: str
    number: int | None
    made: str
    size: int
    missing: list[str]


class LayingUp:
    """The laid-up episodes of a data folder."""

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, shows: Shows, editing: Editing,
                 exchange: Exchange, space: Space) -> None:  # fmt: skip
        self._sessions, self._media, self._jobs, self._shows = sessions, media, jobs, shows
        self._editing, self._exchange, self._space = editing, exchange, space
        jobs.register("lay up", self._lay_up)

    # -- laying up -------------------------------------------------------------------------------------------

    def begin(self, episode_id: int, *, free: bool) -> int:
        """Begin to lay an episode up; returns the job's number.

        free : what it takes here is deleted once the archive is whole and has been read again.
        """
        show, episode = self._shows.episode(episode_id)
        label = f"Laying up {episode.title}{', and freeing its room' if free else ''}"
        # On the list of the show's larder: with the episode its own list goes.
        return self._jobs.start("lay up", self._shows.shelf(show.id), label, key=f"lay up {episode_id}",
                                episode=episode_id, free=free)  # fmt: skip

    def all(self) -> list[LaidUp]:
        """What lies in the data folder, the latest first."""
        found = []
        for path in self._folder().glob("*.zip"):
            try:
                found.append(_told_of(path))
            except (PampaError, OSError):
                continue  # somebody has put something else there
        return sorted(found, key=lambda each: each.made, reverse=True)

    def path(self, name: str) -> Path:
        """Where one of them lies."""
        if name not in {each.name for each in self.all()}:
            raise NotFound("That archive is not there any more.")
        return self._folder() / name

    def let_go(self, name: str) -> None:
        """Delete an archive."""
        self.path(name).unlink()

    def _lay_up(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = parameters["episode"]
        path = self._write(episode_id, progress)
        if parameters["free"]:
            with opened_archive(path) as archive:
                archive.check(lambda doing, share: progress(doing, share))
                if archive.told["missing"]:
                    lacking = ", ".join(archive.told["missing"])
                    raise EditRefused(
                        f"The archive is whole but for originals that are not in the data folder: {lacking}. So "
                        "nothing was deleted."
                    )
            fault_point("laid-up")
            with self._sessions.begin() as session:
                session.get_one(Episode, episode_id).archived = True
            self._space.delete_episode(episode_id)

    def _write(self, episode_id: int, progress: Progress) -> Path:
        with self._sessions() as session:
            told, files = self._gathered(session, episode_id)
        document = self._editing.state(episode_id).document
        texts = {"document.json": json.dumps(encode(document)), "cut.otio": self._exchange.cut(episode_id)}
        missing = [name for name, file in files.items() if not file.exists()]
        names = {f"originals/{each['sha256']}{each['suffix']}": each["name"] for each in told["recordings"]}
        told["missing"] = sorted({names.get(name, name) for name in missing})
        there = {name: file for name, file in files.items() if name not in missing}
        self._media.require_room(sum(file.stat().st_size for file in there.values()))
        path = self._folder() / self._exchange.file_name(episode_id, f"-{datetime.now(UTC):%Y%m%d-%H%M%S}.zip")
        write_archive(path, told, texts, there, progress)
        return path

    def _gathered(self, session: Session, episode_id: int) -> tuple[dict[str, Any], dict[str, Path]]:
        """What an archive says of an episode, and the files that it holds."""
        episode = session.get_one(Episode, episode_id)
        show = session.get_one(Show, episode.show_id)
        recordings = _rows(session, Recording, episode_id)
        living = [recording for recording in recordings if recording.state == "ready"]
        numbers = [recording.id for recording in living]
        versions = session.scalars(
            select(Version).where(Version.episode_id == episode_id).options(undefer(Version.document))
        )
        deliveries = session.scalars(
            select(Delivery).where(Delivery.episode_id == episode_id).options(undefer(Delivery.document))
        ).all()
        finds = session.get(FindsRow, episode_id)
        told = {
            "made": datetime.now(UTC).isoformat(timespec="seconds"), "by": f"Pampa {__version__}",
            "show": {"name": show.name, "host": show.host, "about": show.about},
            "episode": {"title": episode.title, "number": episode.number, "about": episode.about,
                        "choices": episode.choices},
            "recordings": [{"id": r.id, **{name: getattr(r, name) for name in KEPT_OF_RECORDINGS}} for r in living],
            "pieces": self._pieces(session, show.id, living),
            "checkups": [{"recording": row.recording_id, "key": row.key, "found": row.found}
                         for row in session.scalars(select(CheckupRow).where(CheckupRow.recording_id.in_(numbers)))],
            "linings": [{"recording": row.recording_id, "reference": row.reference_id, "found": row.found,
                         "by_hand": row.by_hand, "nudged_ms": row.nudged_ms}
                        for row in _rows(session, Lining, episode_id)],
            "finds": {"key": finds.key, "found": finds.found} if finds else None,
            "versions": [{"name": v.name, "created": v.created.isoformat(), "gist": v.gist,
                          "document": plain_document(v.document)} for v in versions],
            "deliveries": [{"file": d.file, "name": d.name, "created": d.created.isoformat(), "sheet": d.sheet,
                            "document": plain_document(d.document) if d.document else None} for d in deliveries],
            "artworks": self._artworks(session, show, episode),
        }  # fmt: skip
        files = {f"originals/{r.sha256}{r.suffix}": self._media.original(r.sha256, r.suffix) for r in living}
        made = {f"deliveries/{d.file}": self._media.delivery(episode_id, d.file) for d in deliveries}
        return told, {**files, **{name: path for name, path in made.items() if path.exists()}}

    def _pieces(self, session: Session, show_id: int, recordings: Iterable[Recording]) -> list[dict[str, Any]]:
        """Pieces of the show's larder that the episode has the sound of."""
        hashes = {recording.sha256 for recording in recordings}
        rows = session.execute(
            select(Piece, Recording)
            .join(Recording, Recording.id == Piece.recording_id)
            .join(Episode, Episode.id == Recording.episode_id)
            .where(Episode.show_id == show_id, Episode.larder, Recording.sha256.in_(hashes))
        )
        return [
            {**{name: getattr(piece, name) for name in KEPT_OF_PIECES}, "sha256": recording.sha256,
             "suffix": recording.suffix, "file": recording.name, "size": recording.size,
             "channels": recording.channels, "facts": recording.facts}
            for piece, recording in rows
        ]  # fmt: skip

    def _artworks(self, session: Session, show: Show, episode: Episode) -> list[dict[str, Any]]:
        markers = self._editing.state(episode.id).document.markers
        wanted = {show.about.get("artwork"), episode.about.get("artwork"), *(marker.picture for marker in markers)}
        rows = session.scalars(
            select(ArtworkRow).where(ArtworkRow.sha256.in_(filter(None, wanted))).options(undefer(ArtworkRow.jpeg))
        )
        return [
            {"sha256": row.sha256, "kind": row.kind, "width": row.width, "height": row.height, "size": row.size,
             "jpeg": base64.b64encode(row.jpeg).decode()}
            for row in rows
        ]  # fmt: skip

    # -- archives that come from elsewhere -------------------------------------------------------------------

    def receive(self, name: str, offset: int, data: bytes, *, last: bool) -> int:
        """Take the next piece of an archive that somebody sends; returns how many bytes have arrived.

        After the last it lies with the others. Raises NoArchive where it is none, and then nothing of it is kept.
        """
        clean = re.sub(r"[^\w.-]+", "-", safe_name(name)).removesuffix(".zip") + ".zip"
        making = self._folder() / f".{clean}{MAKING}-sent"
        self._media.require_room(len(data))
        with disk_errors(), making.open("r+b" if offset and making.exists() else "wb") as file:
            file.seek(0, 2)
            if file.tell() != offset:
                raise EditRefused("A piece of this archive did not arrive. Send it again from the beginning.")
            file.write(data)
            arrived = file.tell()
        if last:
            try:
                with opened_archive(making):
                    pass
            except NoArchive:
                making.unlink(missing_ok=True)
                raise
            target = self._folder() / clean
            making.replace(target if not target.exists() else target.with_stem(f"{target.stem}-2"))
        return arrived

    def _folder(self) -> Path:
        return self._media.root / "laid-up"


def _rows(session: Session, table: Any, episode_id: int) -> list[Any]:
    return list(session.scalars(select(table).where(table.episode_id == episode_id)))


def _told_of(path: Path) -> LaidUp:
    with opened_archive(path) as archive:
        told = archive.told
    return LaidUp(
        path.name, told["show"]["name"], told["episode"]["title"], told["episode"]["number"], told["made"],
        path.stat().st_size, list(told.get("missing", [])),
    )  # fmt: skip
