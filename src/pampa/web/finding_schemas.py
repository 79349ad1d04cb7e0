"""Finds as a page is told of them."""

from pydantic import BaseModel, Field

from pampa.core.finds.finds import Kind
from pampa.web.schemas import Number, Place


class FindOut(BaseModel):
    """Something that may go, in frames of its recording at 48 kHz, as clips count them."""

    kind: Kind
    recording: Number
    start: Place
    stop: Place
    confidence: float = Field(examples=[0.9])
    alone: bool = Field(description="Whether nobody else talks meanwhile.")
    pause_s: float = Field(description="The shorter of this person's two pauses around it.", examples=[0.4])
    evidence: str = Field(examples=["An um or an uh, 0.35 s long."])


class FindsOut(BaseModel):
    waits: bool = Field(description="Whether finds are still being looked for.")
    finds: list[FindOut]
    unheard: list[str] = Field(description="Whose words were not looked at, and why.", examples=[[]])
