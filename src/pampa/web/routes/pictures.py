"""Pictures: small frames for the page, and the picture that goes out."""

from functools import partial
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from fastapi import Path as PathParameter
from pydantic import BaseModel, ConfigDict, Field

from pampa.core.deliver.solve import Aim
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import JobStarted, Number

router = APIRouter(tags=["pictures"])
KEPT = {"Cache-Control": "private, max-age=3600"}


class NewPicture(BaseModel):
    """What the picture is to be like: its height at most, in pixels, and how loud its sound."""

    model_config = ConfigDict(extra="forbid")

    most_high: Literal[360, 720, 1080, 2160] = 1080
    target_lufs: Annotated[float, Field(ge=-40, le=-5)] = -14.0
    ceiling_dbtp: Annotated[float, Field(ge=-9, le=0)] = -1.0


class UncutSound(BaseModel):
    """Which picture stays as it was shot, and how loud the sound for it is to be."""

    model_config = ConfigDict(extra="forbid")

    recording: Number
    target_lufs: Annotated[float, Field(ge=-40, le=-5)] = -14.0
    ceiling_dbtp: Annotated[float, Field(ge=-9, le=0)] = -1.0


@router.get("/recordings/{recording_id}/picture/{second}", response_class=Response)
def read_second(
    recording_id: Id, second: Annotated[int, PathParameter(ge=0, le=1_000_000)], studio: WithStudio
) -> Response:
    """Small frames that begin in one second of a recording's own time, and the one before.

    Little-endian: how many (uint32), then for each its time (float64) and size (uint32), then the JPEGs.
    """
    frames = studio.pictures.second(recording_id, second)
    return Response(frames, media_type="application/octet-stream", headers=KEPT)


@router.get("/recordings/{recording_id}/stills", response_class=Response)
def read_stills(
    recording_id: Id, studio: WithStudio, start: Annotated[float, Query(ge=0, le=1_000_000)],
    step: Annotated[float, Query(gt=0, le=1_000_000)], count: Annotated[int, Query(ge=1, le=200)],
) -> Response:  # fmt: skip
    """Thumbnails at equal distances, packed as the frames of a second."""
    drawn = studio.executor.seen(partial(studio.pictures.stills, recording_id, start, step, count))
    return Response(drawn, media_type="application/octet-stream", headers=KEPT)


@router.get("/recordings/{recording_id}/still", response_class=Response)
def read_still(recording_id: Id, studio: WithStudio, at: Annotated[float, Query(ge=0, le=1_000_000)]) -> Response:
    """The small frame that is seen at a moment of a recording's own time, in seconds."""
    return Response(studio.pictures.still(recording_id, at), media_type="image/jpeg", headers=KEPT)


@router.post("/episodes/{episode_id}/deliveries/picture", status_code=202)
def start_picture(episode_id: Id, body: NewPicture, studio: WithStudio) -> JobStarted:
    """Begin making the picture, cut as the talk is cut, with the finished sound."""
    aim = Aim(body.target_lufs, body.ceiling_dbtp)
    return JobStarted(job=studio.pictures.start_cut(episode_id, aim, body.most_high))


@router.post("/episodes/{episode_id}/deliveries/uncut", status_code=202)
def start_uncut(episode_id: Id, body: UncutSound, studio: WithStudio) -> JobStarted:
    """Begin making the sound that lies under a picture as it was shot."""
    aim = Aim(body.target_lufs, body.ceiling_dbtp)
    return JobStarted(job=studio.pictures.start_uncut(episode_id, body.recording, aim))
