"""The edits that a page may send: one model for each, told apart by `edit`."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from pampa.core.timeline.document import Crossing, Kind
from pampa.web.schemas import AmountsBody, Number, Place

Level = Annotated[float, Field(ge=-60, le=24)]
Shift = Annotated[int, Field(ge=-(1 << 40), le=1 << 40)]


class Edit(BaseModel):
    model_config = ConfigDict(extra="forbid")

    def parameters(self) -> dict[str, Any]:
        """The edit's own parameters; what was left open stays open."""
        return self.model_dump(exclude={"edit"}, exclude_none=True)


class TakeOut(Edit):
    """Take a range out and close up on all linked tracks."""

    edit: Literal["take_out"]
    start: Place
    stop: Place
    whole: bool = Field(False, description="Take it out of music and effects too, also of those that are pinned.")


class Clear(Edit):
    """Take a range out and leave room tone: on all talk, or on the tracks named."""

    edit: Literal["clear"]
    start: Place
    stop: Place
    tracks: list[int] | None = None


class PutBack(Edit):
    edit: Literal["put_back"]
    seam: Number


class DragSeam(Edit):
    """Put back frames from the beginning and the end of what is missing; less than 0 takes more out."""

    edit: Literal["drag_seam"]
    seam: Number
    first: Shift = 0
    last: Shift = 0


class SetSeam(Edit):
    """How a join crosses over: for how many frames, and what it keeps steady meanwhile."""

    edit: Literal["set_seam"]
    seam: Number
    crossfade: Annotated[int, Field(ge=0, le=96_000)] | None = None
    crossing: Crossing | None = None


class PutInClip(BaseModel):
    """A stretch of a recording; `start` counts from the place where it is put in."""

    recording: Number
    source: Place
    start: Place
    length: Annotated[int, Field(gt=0)]
    gain_db: Level = 0.0
    fade_in: Place = 0
    fade_out: Place = 0
    muted: bool = False


class PutInPiece(BaseModel):
    track: Number
    clips: Annotated[list[PutInClip], Field(max_length=20_000)]


class Insert(Edit):
    """Open time for everybody and put pieces of talk in; without any it stays silent."""

    edit: Literal["insert"]
    name: Annotated[str, Field(max_length=80)]
    at: Place
    length: Annotated[int, Field(gt=0, le=24 * 3600 * 48_000)]
    pieces: Annotated[list[PutInPiece], Field(max_length=200)] = []


class Carry(Edit):
    """Take everything of a stretch to another place."""

    edit: Literal["carry"]
    start: Place
    stop: Place
    to: Place


class DropSpot(Edit):
    """Put a spot in: time opens for it, and closes when it is lifted again."""

    edit: Literal["drop_spot"]
    name: Annotated[str, Field(max_length=80)]
    at: Place
    recording: Number
    length: Annotated[int, Field(gt=0)]
    source: Place = 0
    fade_in: Place = 0
    fade_out: Place = 0


class LiftSpot(Edit):
    edit: Literal["lift_spot"]
    clip: Number


class Slide(Edit):
    """Move what one person says in a range; with `follow`, everything after it moves as well, for everybody."""

    edit: Literal["slide"]
    track: Number
    start: Place
    stop: Place
    by: Shift
    follow: bool = False


class Join(Edit):
    edit: Literal["join"]
    at: Place


class Slip(Edit):
    """Slide the sound under a clip."""

    edit: Literal["slip"]
    clip: Number
    by: Shift


class Split(Edit):
    edit: Literal["split"]
    at: Place
    tracks: list[int] | None = None


class Move(Edit):
    edit: Literal["move"]
    clip: Number
    start: Place
    track: Number | None = None
    following: bool = Field(False, description="All that comes after it on its track moves as far.")


class Trim(Edit):
    edit: Literal["trim"]
    clip: Number
    edge: Literal["start", "end"]
    at: Place
    following: bool = False


class SetClip(Edit):
    edit: Literal["set_clip"]
    clip: Number
    gain_db: Level | None = None
    fade_in: Place | None = None
    fade_out: Place | None = None
    muted: bool | None = None


class RemoveClip(Edit):
    edit: Literal["remove_clip"]
    clip: Number


class AddClip(Edit):
    edit: Literal["add_clip"]
    track: Number
    recording: Number
    start: Place
    length: Annotated[int, Field(gt=0)]
    source: Place = 0
    gain_db: Level = 0.0
    fade_in: Place = 0
    fade_out: Place = 0


class AddTrack(Edit):
    edit: Literal["add_track"]
    name: Annotated[str, Field(max_length=80)]
    kind: Kind


class RemoveTrack(Edit):
    edit: Literal["remove_track"]
    track: Number


class SetTrack(Edit):
    edit: Literal["set_track"]
    track: Number
    name: Annotated[str, Field(max_length=80)] | None = None
    kind: Kind | None = None
    gain_db: Level | None = None
    muted: bool | None = None
    treated: bool | None = None
    pinned: bool | None = None


class SetRecipe(Edit):
    edit: Literal["set_recipe"]
    track: Number
    low_cut_hz: Annotated[float, Field(ge=0, le=300)]
    body_db: Annotated[float, Field(ge=-12, le=12)]
    presence_db: Annotated[float, Field(ge=-12, le=12)]
    ratio: Annotated[float, Field(ge=1, le=8)]


class SetDucking(Edit):
    edit: Literal["set_ducking"]
    depth_db: Annotated[float, Field(ge=0, le=40)]


class Nudge(Edit):
    """Slide one person's sound by `by` frames against the others; cuts stay."""

    edit: Literal["nudge"]
    track: Number
    by: Annotated[int, Field(ge=-(1 << 32), le=1 << 32)]


class LaidPiece(BaseModel):
    """A stretch of a recording and where it begins in the episode."""

    recording: Number
    start: Place
    length: Annotated[int, Field(gt=0)]
    source: Place = 0


class Lay(Edit):
    """Put pieces at their places: on `track` where there is room, else on a new track; all at once."""

    edit: Literal["lay"]
    name: Annotated[str, Field(max_length=80)]
    kind: Kind
    pieces: Annotated[list[LaidPiece], Field(min_length=1, max_length=200)]
    track: Number | None = None
    instead_of: Number | None = Field(None, description="A clip that goes in the same moment.")


class Mend(Edit):
    """Mend recordings with these amounts from now on, all of them alike."""

    edit: Literal["mend"]
    name: Annotated[str, Field(max_length=80)]
    recordings: Annotated[list[int], Field(min_length=1, max_length=200)]
    amounts: AmountsBody


class Cut(BaseModel):
    """A range to take out: of all talk, closing up, or of the tracks named, leaving room tone."""

    start: Place
    stop: Place
    tracks: list[int] | None = None


class Prune(Edit):
    """Take several ranges out at once."""

    edit: Literal["prune"]
    name: Annotated[str, Field(max_length=80)]
    cuts: Annotated[list[Cut], Field(min_length=1, max_length=20_000)]


class DecidedFind(BaseModel):
    kind: Annotated[str, Field(max_length=20)]
    recording: Number
    start: Place
    stop: Place


class AboutFinds(Edit):
    """A decision about finds. `name`: of what they are, for the history."""

    name: Annotated[str, Field(max_length=80)]
    finds: Annotated[list[DecidedFind], Field(min_length=1, max_length=20_000)]


class Leave(AboutFinds):
    """Leave finds as they are: they are not proposed again."""

    edit: Literal["leave"]


class Reopen(AboutFinds):
    """Ask again about finds that had been left."""

    edit: Literal["reopen"]


class MarkFind(AboutFinds):
    """Add finds by hand, to be decided about like any other."""

    edit: Literal["mark_find"]


class DropFind(AboutFinds):
    """Forget finds that had been added by hand."""

    edit: Literal["drop_find"]


class AddMarker(Edit):
    edit: Literal["add_marker"]
    at: Place
    name: Annotated[str, Field(max_length=200)] = ""


class SetMarker(Edit):
    edit: Literal["set_marker"]
    marker: Number
    name: Annotated[str, Field(max_length=200)] | None = None
    at: Place | None = None
    tint: Annotated[int, Field(ge=0, le=5)] | None = Field(None, description="Of the section it begins; 0 for none.")


class RemoveMarker(Edit):
    edit: Literal["remove_marker"]
    marker: Number


AnyEdit = Annotated[
    TakeOut | Clear | PutBack | DragSeam | SetSeam | Insert | Carry | DropSpot | LiftSpot | Slide | Join | Slip
    | Split | Move | Trim | SetClip | RemoveClip | AddClip | AddTrack | RemoveTrack
    | SetTrack | SetRecipe | SetDucking | Nudge | Lay | Mend | Prune | Leave | Reopen | MarkFind | DropFind | AddMarker
    | SetMarker | RemoveMarker,
    Field(discriminator="edit"),
]  # fmt: skip


class EditRequest(BaseModel):
    """An edit against the revision that the page shows."""

    model_config = ConfigDict(
        json_schema_extra={"examples": [{"revision": 7, "edit": {"edit": "take_out", "start": 48000, "stop": 96000}}]}
    )

    revision: Number
    edit: AnyEdit
