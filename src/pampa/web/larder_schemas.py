"""What goes over the wire about larders and patterns. Lengths are frames at 48 kHz."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from pampa.studio.larder import Found, Piece, Recording
from pampa.studio.patterns import Pattern, content_of
from pampa.web.schemas import Name, Number, Place, Told

PieceKind = Literal["music", "effects", "spot", "room tone"]
Tags = Annotated[str, Field(max_length=400)]


class PieceOut(BaseModel):
    """A piece of the larder; `id` is also the number of its recording, whose stalks can be drawn."""

    id: int
    name: str = Field(examples=["Theme"])
    kind: PieceKind
    tags: str = Field(examples=["opening strings"])
    start: int = Field(description="Where in its recording the piece begins.")
    length: int
    loudness_lufs: float | None
    bpm: float | None = Field(description="Beats per minute, where there is a beat.")
    used: bool = Field(description="Whether an episode has used it.")
    removed: bool

    @classmethod
    def of(cls, piece: Piece, recording: Recording) -> "PieceOut":
        return cls(
            id=piece.recording_id, name=piece.name, kind=piece.kind, tags=piece.tags, start=piece.start,  # type: ignore[arg-type]
            length=piece.length, loudness_lufs=piece.loudness_lufs, bpm=piece.bpm, used=piece.used is not None,
            removed=recording.removed,
        )  # fmt: skip


class LarderOut(BaseModel):
    """The first pieces that a search found, and how many it found in all."""

    pieces: list[PieceOut]
    total: int

    @classmethod
    def of(cls, found: Found) -> "LarderOut":
        return cls(pieces=[PieceOut.of(*row) for row in found.pieces], total=found.total)


class NewPiece(BaseModel):
    name: str = Field(min_length=1, max_length=1000, examples=["theme.flac"])
    size: Number = Field(examples=[3_400_000])
    kind: PieceKind = "music"
    tags: Tags = ""


class NewIdent(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=120, examples=["Opening words"])]


class IdentOut(Told):
    """A small sheet. piece : of the larder, once it has been made; `current` while nothing has changed since."""

    episode: int
    name: str
    piece: int | None
    current: bool


class Keep(BaseModel):
    """A recording of an episode, or a stretch of it, to keep in the larder."""

    kind: PieceKind
    name: Annotated[str, Field(min_length=1, max_length=120, examples=["Room tone, Anders Quill"])]
    tags: Tags = ""
    start: Place = 0
    length: Annotated[int, Field(gt=0)] | None = Field(None, description="All of it, if left out.")


class Kept(BaseModel):
    piece: Number


class PieceChange(BaseModel):
    name: Annotated[str, Field(max_length=120)] | None = None
    kind: PieceKind | None = None
    tags: Tags | None = None
    removed: bool | None = None


class Use(BaseModel):
    revision: Number
    start: Place = Field(description="Where it begins in the episode.", examples=[1_220_000])
    open_time: bool = Field(False, description="As a spot that everybody waits for, instead of under the talk.")


class NewPattern(BaseModel):
    name: Name = Field(examples=["Slack Water, with a spot"])


class PatternOut(Told):
    id: int
    name: str
    people: list[str]

    @classmethod
    def of(cls, pattern: Pattern) -> "PatternOut":
        tracks = content_of(pattern)["tracks"]
        return cls(
            id=pattern.id, name=pattern.name, people=[track["name"] for track in tracks if track["kind"] == "person"]
        )
