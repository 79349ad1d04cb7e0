"""What the page sends and is told about music around the talk."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from pampa.core.sound import RATE
from pampa.studio.music import Beating
from pampa.web.schemas import Number

Seconds = Annotated[float, Field(ge=0, le=3600)]
LU = Annotated[float, Field(ge=0, le=40)]


def frames(seconds: float) -> int:
    """Whole frames of the episode."""
    return round(seconds * RATE)


class SetMusic(BaseModel):
    """A piece of the larder, and how far under the talk it lies."""

    revision: Number
    piece: Number
    under_lu: LU = 14.0


class Opening(SetMusic):
    what: Literal["opening"]
    alone_s: Seconds = Field(4.0, description="How long it is alone before the first word.")
    gone_s: Seconds = Field(12.0, description="How long after the first word it has faded away.")

    def told(self) -> dict[str, float]:
        return {"alone": frames(self.alone_s), "gone": frames(self.gone_s)}


class Ending(SetMusic):
    what: Literal["ending"]
    before_s: Seconds = Field(8.0, description="How long before the end of the last word it comes in.")
    alone_s: Seconds = Field(6.0, description="How long after it the last note falls.")

    def told(self) -> dict[str, float]:
        return {"before": frames(self.before_s), "alone": frames(self.alone_s)}


class Sting(SetMusic):
    what: Literal["sting"]
    at: Number
    rest_s: Seconds = Field(2.5, description="After how long the talk goes on; 0 opens no time.")

    def told(self) -> dict[str, float]:
        return {"at": self.at, "rest": frames(self.rest_s)}


class Bed(SetMusic):
    what: Literal["bed"]
    start: Number
    stop: Number
    lead_s: Seconds = Field(1.5, description="How much sooner it comes in, and later it goes.")

    def told(self) -> dict[str, float]:
        return {"start": self.start, "stop": self.stop, "lead": frames(self.lead_s)}


AnySet = Annotated[Opening | Ending | Sting | Bed, Field(discriminator="what")]


class Fit(BaseModel):
    length_s: float = Field(gt=0.1, le=36_000, description="How long the piece is to last.")


class BeatsOut(BaseModel):
    """Seconds of beats and bars on the recording's own clock."""

    bpm: float | None
    beats_s: list[float]
    bars_s: list[float]

    @classmethod
    def of(cls, beating: Beating) -> "BeatsOut":
        told = ([round(float(each), 3) for each in curve] for curve in (beating.beats_s, beating.bars_s))
        beats, bars = told
        return cls(bpm=beating.bpm, beats_s=beats, bars_s=bars)


class BusesOut(BaseModel):
    """The loudness of each bus by itself in LUFS; null for one that is silent."""

    voices: float | None
    music: float | None
    effects: float | None
    room: float | None
