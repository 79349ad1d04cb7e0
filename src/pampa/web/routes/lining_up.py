"""Lining up: measure recordings against a reference, look and listen, and put people in step."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response

from pampa.web.change_schemas import EpisodeChange
from pampa.web.lining_schemas import Anchors, LiningOut, Nudge, WhatToLineUp
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.routes.episodes import change_of
from pampa.web.schemas import JobStarted, Revision

router = APIRouter(prefix="/episodes/{episode_id}", tags=["lining up"])

BINARY = {200: {"content": {"application/octet-stream": {}}, "description": "Bytes."}}
Seconds = Annotated[float, Query(ge=0, le=1_000_000)]


@router.post("/line-up", status_code=202)
def measure(episode_id: Id, body: WhatToLineUp, studio: WithStudio) -> JobStarted:
    """Begin measuring how recordings lie against a reference. Nothing moves; the job tells how far it is."""
    return JobStarted(job=studio.lining_up.start(episode_id, body.reference, body.recordings))


@router.post("/one-room", status_code=202)
def mix_room(episode_id: Id, studio: WithStudio) -> JobStarted:
    """Begin to mix the microphones of one room: everybody in step, of one polarity, each at its share of them all."""
    return JobStarted(job=studio.straight_through.mix_room(episode_id))


@router.get("/linings")
def list_linings(episode_id: Id, studio: WithStudio) -> list[LiningOut]:
    """What was measured or set by hand, in the order of the tracks."""
    return [LiningOut.of(proposal) for proposal in studio.lining_up.proposals(episode_id)]


@router.post("/linings/apply", response_model=EpisodeChange)
def apply(episode_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Put everybody in step who was found, drift taken out. One edit; undo takes it back."""
    return change_of(studio.lining_up.apply(episode_id, revision=body.revision))


@router.post("/linings/{recording_id}/by-hand", status_code=204)
def set_by_hand(episode_id: Id, recording_id: Id, body: Anchors, studio: WithStudio) -> None:
    """Say which places are the same moment: one pair for the offset, two for drift too."""
    pairs = [(pair.local_s, pair.reference_s) for pair in body.pairs]
    studio.lining_up.set_by_hand(episode_id, recording_id, body.reference, pairs)


@router.post("/linings/{recording_id}/nudge", status_code=204)
def nudge(episode_id: Id, recording_id: Id, body: Nudge, studio: WithStudio) -> None:
    """Move what was measured later by some milliseconds. The sheet moves when it is applied."""
    studio.lining_up.nudge(episode_id, recording_id, body.ms)


@router.get("/linings/{recording_id}/view", responses=BINARY, response_class=Response)  # type: ignore[arg-type]
def view(
    episode_id: Id, recording_id: Id, studio: WithStudio, at_s: Seconds, points: Annotated[int, Query(ge=1, le=4000)]
) -> Response:
    """2.4 s of the reference, then of the recording: lowest and highest sample, int16 pairs, each at full height."""
    drawn = studio.lining_up.view(episode_id, recording_id, at_s, points)
    return Response(drawn, media_type="application/octet-stream")


@router.get("/linings/{recording_id}/sound", responses=BINARY, response_class=Response)  # type: ignore[arg-type]
def sound(
    episode_id: Id, recording_id: Id, studio: WithStudio, at_s: Seconds,
    seconds: Annotated[float, Query(gt=0, le=30)] = 6.0, way: Literal["both", "ears", "difference"] = "both",
) -> Response:  # fmt: skip
    """Reference and recording together, one in each ear, or their difference: float32, stereo, 48 kHz."""
    with studio.executor.heard():
        heard = studio.lining_up.sound(episode_id, recording_id, at_s, seconds, way)
    return Response(heard.astype("<f4", copy=False).tobytes(), media_type="application/octet-stream")
