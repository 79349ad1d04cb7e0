"""The tables. Times of day are UTC; whatever an edit can change lives in the journal, not here."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, LargeBinary, text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    """The time in UTC, without zone: SQLite keeps none."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSON}


class Show(Base):
    """about : what is written about all of its episodes, and which files are wanted of each."""

    __tablename__ = "shows"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    host: Mapped[str] = mapped_column(default="")
    archived: Mapped[bool] = mapped_column(default=False)
    about: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created: Mapped[datetime] = mapped_column(default=now)


class Episode(Base):
    """revision counts every change and never falls; position is how many journal entries are in force.

    larder : not an episode to work on but the shelf where a show's pieces are kept. about : what listeners read.
    """

    __tablename__ = "episodes"
    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id"), index=True)
    title: Mapped[str]
    number: Mapped[int | None]
    archived: Mapped[bool] = mapped_column(default=False)
    larder: Mapped[bool] = mapped_column(default=False)
    revision: Mapped[int] = mapped_column(default=0)
    position: Mapped[int] = mapped_column(default=0)
    choices: Mapped[dict[str, Any]] = mapped_column(default=dict)
    about: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created: Mapped[datetime] = mapped_column(default=now)


class Recording(Base):
    """A file that came in. state: waiting, ready, failed, or gone: deleted for good, and silent where it is heard.
    placed: it has been put onto a track once.

    rank : its place in the list, the lowest first; those of one rank in the order they came.
    """

    __tablename__ = "recordings"
    id: Mapped[int] = mapped_column(primary_key=True)
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), index=True)
    name: Mapped[str]
    person: Mapped[str] = mapped_column(default="")
    role: Mapped[str] = mapped_column(default="person")
    sha256: Mapped[str] = mapped_column(index=True)
    suffix: Mapped[str]
    size: Mapped[int]
    channels: Mapped[str] = mapped_column(default="auto")
    drift_ppm: Mapped[float] = mapped_column(default=0.0)
    offset: Mapped[int] = mapped_column(default=0)
    after_track: Mapped[int | None]
    state: Mapped[str] = mapped_column(default="waiting")
    error: Mapped[str] = mapped_column(default="")
    placed: Mapped[bool] = mapped_column(default=False)
    removed: Mapped[bool] = mapped_column(default=False)
    rank: Mapped[int] = mapped_column(default=0)
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created: Mapped[datetime] = mapped_column(default=now)


class Piece(Base):
    """What the larder knows of a recording on its shelf: a stretch of it, for use in any episode of the show.

    sought : name, tags and kind in small letters. used : when an episode took it last.
    """

    __tablename__ = "pieces"
    recording_id: Mapped[int] = mapped_column(ForeignKey("recordings.id"), primary_key=True)
    name: Mapped[str]
    kind: Mapped[str]
    tags: Mapped[str] = mapped_column(default="")
    sought: Mapped[str]
    start: Mapped[int] = mapped_column(default=0)
    length: Mapped[int]
    loudness_lufs: Mapped[float | None]
    bpm: Mapped[float | None]
    used: Mapped[datetime | None]


class Pattern(Base):
    """How a show's episodes usually are: people with recipes, pieces and their places. content: a pattern."""

    __tablename__ = "patterns"
    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id"), index=True)
    name: Mapped[str]
    content: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(default=now)


class KeptRecipe(Base):
    """How somebody's recordings are mended and their voice treated, kept by name.

    amounts : of Mend, without what belongs to single places. voice : settings of the chain by their names. Both hold
    only what the recipe sets: an empty one leaves that part as it is.
    """

    __tablename__ = "recipes"
    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id"), index=True)
    person: Mapped[str]
    name: Mapped[str]
    amounts: Mapped[dict[str, Any]]
    voice: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created: Mapped[datetime] = mapped_column(default=now)


class LikenessRow(Base):
    """What a person sounded like in an episode when it last went out, or as it stands. heard: a Likeness.

    revision: of the episode; None of those from before that was kept.
    """

    __tablename__ = "likenesses"
    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id"), index=True)
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), index=True)
    person: Mapped[str]
    heard: Mapped[dict[str, Any]]
    revision: Mapped[int | None]
    went_out: Mapped[bool] = mapped_column(default=True)
    created: Mapped[datetime] = mapped_column(default=now)


class CheckupRow(Base):
    """The check-up of a recording, for the sound that `key` names: a Checkup, and what it proposes."""

    __tablename__ = "checkups"
    recording_id: Mapped[int] = mapped_column(ForeignKey("recordings.id"), primary_key=True)
    key: Mapped[str]
    found: Mapped[dict[str, Any]]


class Lining(Base):
    """How a recording lies against a reference, as measured or set by hand. found: an Alignment."""

    __tablename__ = "linings"
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), primary_key=True)
    recording_id: Mapped[int] = mapped_column(ForeignKey("recordings.id"), primary_key=True)
    reference_id: Mapped[int] = mapped_column(ForeignKey("recordings.id"))
    found: Mapped[dict[str, Any]]
    by_hand: Mapped[bool] = mapped_column(default=False)
    nudged_ms: Mapped[float] = mapped_column(default=0.0)


class JournalEntry(Base):
    """One accepted edit. Entries beyond the episode's position have been undone. version : of its parameters."""

    __tablename__ = "journal"
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    parameters: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    made: Mapped[datetime] = mapped_column(default=now)


class Snapshot(Base):
    """The document after some entries, so that opening need not replay all: compressed JSON."""

    __tablename__ = "snapshots"
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[bytes] = mapped_column(LargeBinary)


class Version(Base):
    """An episode kept as it stood, under a name: the document as compressed JSON, and its figures."""

    __tablename__ = "versions"
    id: Mapped[int] = mapped_column(primary_key=True)
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), index=True)
    name: Mapped[str]
    revision: Mapped[int]
    gist: Mapped[dict[str, Any]]
    document: Mapped[bytes] = mapped_column(LargeBinary)
    created: Mapped[datetime] = mapped_column(default=now)


class Upload(Base):
    """A file on its way in: `received` bytes of `size` are on disk and acknowledged.

    details : what is known of the recording already that it will be. recording_id : what it became; the row stays
    for a while, so that whoever asks again is told.
    """

    __tablename__ = "uploads"
    id: Mapped[str] = mapped_column(primary_key=True)
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), index=True)
    name: Mapped[str]
    size: Mapped[int]
    received: Mapped[int] = mapped_column(default=0)
    details: Mapped[dict[str, Any]] = mapped_column(default=dict)
    recording_id: Mapped[int | None]
    created: Mapped[datetime] = mapped_column(default=now)


class Job(Base):
    """A long pass. state: waiting, running, done, failed or cancelled. attempts : how often it was begun.

    key : what it does, where only one may do it at a time. after : jobs that must have ended first, however they
    ended. stopping : somebody has asked it to stop.
    """

    __tablename__ = "jobs"
    __table_args__ = (
        Index("one_open_job_for_a_key", "key", unique=True, sqlite_where=text("state IN ('waiting', 'running')")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), index=True)
    label: Mapped[str]
    parameters: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(default="waiting", index=True)
    doing: Mapped[str] = mapped_column(default="")
    share: Mapped[float] = mapped_column(default=0.0)
    error: Mapped[str] = mapped_column(default="")
    attempts: Mapped[int] = mapped_column(default=0)
    key: Mapped[str | None]
    after: Mapped[list[int]] = mapped_column(JSON, default=list)
    stopping: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=now)


class Delivery(Base):
    """A file that went out, with its sheet. Written when the file is whole.

    document : the episode as it was then, as compressed JSON; None of files from before that was kept.
    """

    __tablename__ = "deliveries"
    id: Mapped[int] = mapped_column(primary_key=True)
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), index=True)
    job_id: Mapped[int | None] = mapped_column(index=True)
    file: Mapped[str]
    name: Mapped[str]
    revision: Mapped[int]
    sheet: Mapped[dict[str, Any]]
    document: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    created: Mapped[datetime] = mapped_column(default=now)


class ArtworkRow(Base):
    """A picture for listeners. sha256, kind, width, height, size : of what came in. jpeg : what is used of it."""

    __tablename__ = "artworks"
    sha256: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    size: Mapped[int]
    jpeg: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    created: Mapped[datetime] = mapped_column(default=now)


class PlaceRow(Base):
    """Where a show is published. kind : mooring, folder or sftp. details : how it is reached, without any secret."""

    __tablename__ = "places"
    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id"), index=True)
    kind: Mapped[str]
    name: Mapped[str]
    details: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(default=now)


class Publication(Base):
    """How an episode stands at a place, as far as it was brought there from here.

    state : draft, public, or withdrawn. url : of its sound. sha256 : of that, to know whether a newer file waits.
    """

    __tablename__ = "publications"
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), primary_key=True)
    place_id: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[str]
    url: Mapped[str]
    sha256: Mapped[str]
    made: Mapped[datetime] = mapped_column(default=now)


class FindsRow(Base):
    """What was found in an episode. key : of the sound and how people lie; other finds belong to another key."""

    __tablename__ = "finds"
    episode_id: Mapped[int] = mapped_column(ForeignKey("episodes.id"), primary_key=True)
    key: Mapped[str]
    found: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    unheard: Mapped[dict[str, str]] = mapped_column(JSON, default=dict)
    """Why what is said in a recording was not looked at, by its number."""


class Setting(Base):
    """Small things kept for the whole studio: the password's hash, the key that signs cookies."""

    __tablename__ = "settings"
    key: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]
