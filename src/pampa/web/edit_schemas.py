"""The edits that a page may send: one model for each, told apart by `edit`."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from pampa.core.timeline.document import Kind
from pampa.web.schemas import AmountsBody, Place

Level = Annotated[float, Field(ge=-60, le=24)]


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


class Clear(Edit):
    """Take a range out and leave its room empty: on all talk, or on the tracks named."""

    edit: Literal["clear"]
    start: Place
    stop: Place
    tracks: list[int] | None = None


class PutBack(Edit):
    edit: Literal["put_back"]
    seam: int


class Split(Edit):
    edit: Literal["split"]
    at: Place
    tracks: list[int] | None = None


class Move(Edit):
    edit: Literal["move"]
    clip: int
    start: Place
    track: int | None = None


class Trim(Edit):
    edit: Literal["trim"]
    clip: int
    edge: Literal["start", "end"]
    at: Place


class SetClip(Edit):
    edit: Literal["set_clip"]
    clip: int
    gain_db: Level | None = None
    fade_in: Place | None = None
    fade_out: Place | None = None


class RemoveClip(Edit):
    edit: Literal["remove_clip"]
    clip: int


class AddClip(Edit):
    edit: Literal["add_clip"]
    track: int
    recording: int
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
    track: int


class SetTrack(Edit):
    edit: Literal["set_track"]
    track: int
    name: Annotated[str, Field(max_length=80)] | None = None
    kind: Kind | None = None
    gain_db: Level | None = None
    muted: bool | None = None
    treated: bool | None = None
    pinned: bool | None = None


class SetRecipe(Edit):
    edit: Literal["set_recipe"]
    track: int
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
    track: int
    by: Annotated[int, Field(ge=-(1 << 32), le=1 << 32)]


class LaidPiece(BaseModel):
    """A stretch of a recording and where it begins in the episode."""

    recording: int
    start: Place
    length: Annotated[int, Field(gt=0)]
    source: Place = 0


class Lay(Edit):
    """Put pieces at their places: on `track` where there is room, else on a new track; all at once."""

    edit: Literal["lay"]
    name: Annotated[str, Field(max_length=80)]
    kind: Kind
    pieces: Annotated[list[LaidPiece], Field(min_length=1, max_length=200)]
    track: int | None = None
    instead_of: int | None = Field(None, description="A clip that goes in the same moment.")


class Mend(Edit):
    """Mend recordings with these amounts from now on, all of them alike."""

    edit: Literal["mend"]
    name: Annotated[str, Field(max_length=80)]
    recordings: Annotated[list[int], Field(min_length=1, max_length=200)]
    amounts: AmountsBody


class AddMarker(Edit):
    edit: Literal["add_marker"]
    at: Place
    name: Annotated[str, Field(max_length=200)] = ""


class SetMarker(Edit):
    edit: Literal["set_marker"]
    marker: int
    name: Annotated[str, Field(max_length=200)]


class RemoveMarker(Edit):
    edit: Literal["remove_marker"]
    marker: int


AnyEdit = Annotated[
    TakeOut | Clear | PutBack | Split | Move | Trim | SetClip | RemoveClip | AddClip | AddTrack | RemoveTrack
    | SetTrack | SetRecipe | SetDucking | Nudge | Lay | Mend | AddMarker | SetMarker | RemoveMarker,
    Field(discriminator="edit"),
]  # fmt: skip


class EditRequest(BaseModel):
    """An edit against the revision that the page shows."""

    model_config = ConfigDict(
        json_schema_extra={"examples": [{"revision": 7, "edit": {"edit": "take_out", "start": 48000, "stop": 96000}}]}
    )

    revision: int
    edit: AnyEdit
