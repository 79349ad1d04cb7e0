"""Two states of an episode compared, and heard in turns."""

from typing import Annotated

from fastapi import APIRouter, Query, Response

from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.sending_schemas import ComparedOut, NewComparison, SideOut

router = APIRouter(prefix="/episodes/{episode_id}", tags=["comparing"])
SOUND = {200: {"content": {"audio/x-pcm-float32": {}}, "description": "Little-endian float32, stereo, 48 kHz."}}


@router.get("/sides")
def sides(episode_id: Id, studio: WithStudio) -> list[SideOut]:
    """What can be compared: the episode as it stands, files that went out, kept versions."""
    studio.editing.state(episode_id)
    return [SideOut(of=of, name=name) for of, name in studio.comparing.sides(episode_id)]


@router.get("/comparison")
def read_comparison(episode_id: Id, studio: WithStudio) -> ComparedOut:
    """What came of the last comparison."""
    compared, waits = studio.comparing.last(episode_id)
    return ComparedOut.of(compared, waits)


@router.post("/comparison", status_code=202)
def begin_comparison(episode_id: Id, body: NewComparison, studio: WithStudio) -> ComparedOut:
    """Begin to compare two; an event tells the end."""
    studio.editing.state(episode_id)
    studio.comparing.begin(episode_id, body.here, body.there)
    return ComparedOut.of(*studio.comparing.last(episode_id))


@router.get("/comparison/sound", responses=SOUND, response_class=Response)  # type: ignore[arg-type]
def sound(
    episode_id: Id, studio: WithStudio, of: Annotated[str, Query(max_length=40)], start: Frame,
    frames: Annotated[int, Query(gt=0, le=30 * 48000)],
) -> Response:  # fmt: skip
    """A piece of one of the two, as loud as the other."""
    with studio.executor.heard():
        heard = studio.comparing.sound(episode_id, of, start, frames)
    body = heard.astype("<f4", copy=False).tobytes()
    headers = {"X-Next-Start": str(start + len(heard)), "Content-Encoding": "identity"}
    return Response(body, media_type="audio/x-pcm-float32", headers=headers)
