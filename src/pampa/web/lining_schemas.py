"""Lining up over the wire."""

from typing import Annotated

from pydantic import BaseModel, Field

from pampa.studio.lining_up import Proposal
from pampa.web.schemas import Number


class WhatToLineUp(BaseModel):
    reference: Number = Field(description="The recording that the others are measured against.", examples=[5])
    recordings: list[Number] | None = Field(None, description="Whom to measure; everybody on a track, if left out.")


class AnchorPair(BaseModel):
    local_s: float = Field(ge=0, le=1_000_000, examples=[12.4])
    reference_s: float = Field(ge=0, le=1_000_000, examples=[17.3])


class Anchors(BaseModel):
    reference: Number
    pairs: Annotated[list[AnchorPair], Field(min_length=1, max_length=2)]


class Nudge(BaseModel):
    ms: float = Field(ge=-600_000, le=600_000, examples=[10])


class LiningOut(BaseModel):
    """How a recording lies: reference = offset_s + local * (1 + drift_ppm * 1e-6), the nudge counted in."""

    recording: int
    reference: int
    matched: bool
    offset_s: float
    drift_ppm: float
    confidence: float
    residual_ms: float
    reason: str
    by_hand: bool
    nudged_ms: float
    in_place: bool = Field(description="Whether the sheet has it so.")
    breaks: list[tuple[float, float]] = Field(description="Where the recorder stopped: (at_s, jump_s).")
    points: list[tuple[float, float]] = Field(description="Measured offsets: (local_s, offset_s).")
    views_s: list[float] = Field(description="Three places of the reference's time that are worth a look.")

    @classmethod
    def of(cls, proposal: Proposal) -> "LiningOut":
        measured, found = proposal.measured, proposal.measured.found
        return cls(
            recording=measured.recording, reference=measured.reference, matched=found.matched,
            offset_s=measured.clock.offset_s, drift_ppm=measured.clock.drift_ppm, confidence=found.confidence,
            residual_ms=found.residual_ms, reason=found.reason, by_hand=measured.by_hand,
            nudged_ms=measured.nudged_ms, in_place=proposal.in_place,
            breaks=[(cut.at_s, cut.jump_s) for cut in found.breaks],
            points=[(point.local_s, point.offset_s) for point in found.points], views_s=list(proposal.views_s),
        )  # fmt: skip
