"""Seams that are opened and checked, places in the quiet, and versions, as a page is told of them."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from pampa.core.mix.joins import Kind
from pampa.core.timeline.versions import Difference
from pampa.studio.joins import Checked, Opened
from pampa.web.schemas import EpisodeState, Moment, Number, Place, Told


class OpenedOut(BaseModel):
    """The episode with one seam open: what is missing stands from `start` to `stop`."""

    state: EpisodeState
    start: Place
    stop: Place

    @classmethod
    def of(cls, opened: Opened) -> "OpenedOut":
        return cls(state=EpisodeState.of(opened.state), start=opened.start, stop=opened.stop)


class QuietOut(BaseModel):
    at: Place


class ToneBody(BaseModel):
    """Room tone to put in, for everybody."""

    revision: Number
    at: Place
    length: Annotated[int, Field(gt=0)]


class FaultOut(BaseModel):
    kind: Kind
    track: Number
    over: float = Field(description="By how many dB, or how much, it stands out.")
    told: str = Field(examples=["A breath is cut in half."])


class SeamFaults(BaseModel):
    seam: Number
    faults: list[FaultOut]


class JoinsOut(BaseModel):
    """Which seams may be heard, as the episode stood at `revision`; null where that was not listened for yet."""

    revision: Number | None
    waits: bool
    seams: list[SeamFaults]

    @classmethod
    def of(cls, checked: Checked) -> "JoinsOut":
        seams = [SeamFaults.model_validate({"seam": seam, "faults": told}) for seam, told in checked.faults.items()]
        return cls(revision=checked.revision, waits=checked.waits, seams=seams)


class GoTo(BaseModel):
    """A point of the history: with so many edits in force."""

    revision: Number
    position: Annotated[int, Field(ge=0, le=1 << 31)]


class NewVersion(BaseModel):
    name: Annotated[str, Field(max_length=200)] = Field(examples=["Before the second half was moved"])


class GistOut(BaseModel):
    length: int
    seams: int
    taken_out: int
    markers: int


class VersionOut(Told):
    id: int
    name: str
    revision: Number
    created: Moment
    gist: GistOut


class SeamPlace(Told):
    at: int
    length: int
    closed: bool


class DifferenceOut(BaseModel):
    """How the episode as it stands differs from a version."""

    longer: int = Field(description="Frames by which it is longer now.")
    only_now: list[SeamPlace]
    only_then: list[SeamPlace]

    @classmethod
    def of(cls, difference: Difference) -> "DifferenceOut":
        now, then = (
            [SeamPlace.model_validate(seam) for seam in seams]
            for seams in (difference.only_here, difference.only_there)
        )
        return cls(longer=difference.longer, only_now=now, only_then=then)


class BroughtIn(BaseModel):
    """A file that tells of a cut or of markers."""

    revision: Number
    name: Annotated[str, Field(min_length=1, max_length=200)]
    text: Annotated[str, Field(max_length=16 << 20)]


MarkerFile = Literal["csv", "vtt"]


class StemsBody(BaseModel):
    treated: bool = True
