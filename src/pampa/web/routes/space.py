"""Room on the disk: what takes it, episodes laid up and brought back, and deleting for good."""

from typing import Annotated

from fastapi import APIRouter, Body
from fastapi.responses import FileResponse

from pampa.web.recording_schemas import FreedOut
from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.schemas import EpisodeOut, JobStarted
from pampa.web.space_schemas import BytesOut, LaidUpOut, LayUp, TakenOut

router = APIRouter(tags=["space"])
LARGEST_PIECE = 32 << 20


@router.get("/space")
def space(studio: WithStudio) -> TakenOut:
    """What takes room on the disk, by episode, and what can be made again at any time."""
    return TakenOut.model_validate(studio.space.taken())


@router.post("/space/empty")
def empty_caches(studio: WithStudio) -> BytesOut:
    """Delete treated sound; it is made again where it is heard."""
    return BytesOut(bytes=studio.space.empty_caches())


@router.post("/episodes/{episode_id}/lay-up", status_code=202)
def lay_up(episode_id: Id, body: LayUp, studio: WithStudio) -> JobStarted:
    """Begin to put all of an episode into one archive; with `free`, what it takes here is deleted afterwards."""
    return JobStarted(job=studio.laying_up.begin(episode_id, free=body.free))


@router.get("/laid-up")
def laid_up(studio: WithStudio) -> list[LaidUpOut]:
    """Archives that lie here, the latest first."""
    return [LaidUpOut.model_validate(each) for each in studio.laying_up.all()]


@router.get("/laid-up/{name}", response_class=FileResponse)
def download_laid_up(name: str, studio: WithStudio) -> FileResponse:
    """An archive."""
    return FileResponse(studio.laying_up.path(name), filename=name)


@router.put("/laid-up/{name}")
def send_laid_up(
    name: str, studio: WithStudio, offset: Frame,
    piece: Annotated[bytes, Body(media_type="application/octet-stream", max_length=LARGEST_PIECE)], last: bool = False,
) -> BytesOut:  # fmt: skip
    """Send the next piece of an archive from elsewhere; answers how many bytes have arrived."""
    return BytesOut(bytes=studio.laying_up.receive(name, offset, piece, last=last))


@router.post("/laid-up/{name}/bring-back", status_code=201)
def bring_back(name: str, studio: WithStudio) -> EpisodeOut:
    """Take a laid-up episode in, as a new episode of the show of that name. The archive stays."""
    return EpisodeOut.of(studio.bringing_back.bring_back(studio.laying_up.path(name)))


@router.delete("/laid-up/{name}", status_code=204)
def let_go(name: str, studio: WithStudio) -> None:
    """Delete an archive for good."""
    studio.laying_up.let_go(name)


@router.get("/recordings/{recording_id}/space")
def space_of_recording(recording_id: Id, studio: WithStudio) -> FreedOut:
    """What deleting a recording that was removed from the list would free; refused (422) while it is needed."""
    return FreedOut.model_validate(studio.space.of_recording(recording_id))


@router.delete("/recordings/{recording_id}/original")
def delete_recording(recording_id: Id, studio: WithStudio) -> FreedOut:
    """Delete a removed recording for good. Where undo brings it back onto a track, it is silent."""
    return FreedOut.model_validate(studio.space.delete_recording(recording_id))


@router.get("/episodes/{episode_id}/space")
def space_of_episode(episode_id: Id, studio: WithStudio) -> FreedOut:
    """What deleting an archived episode would free."""
    return FreedOut.model_validate(studio.space.of_episode(episode_id))


@router.delete("/episodes/{episode_id}")
def delete_episode(episode_id: Id, studio: WithStudio) -> FreedOut:
    """Delete an archived episode for good, with its history, versions and delivered files."""
    return FreedOut.model_validate(studio.space.delete_episode(episode_id))


@router.get("/shows/{show_id}/space")
def space_of_show(show_id: Id, studio: WithStudio) -> FreedOut:
    """What deleting an archived show would free."""
    return FreedOut.model_validate(studio.space.of_show(show_id))


@router.delete("/shows/{show_id}")
def delete_show(show_id: Id, studio: WithStudio) -> FreedOut:
    """Delete an archived show for good, with its episodes, larder, patterns and recipes."""
    return FreedOut.model_validate(studio.space.delete_show(show_id))
