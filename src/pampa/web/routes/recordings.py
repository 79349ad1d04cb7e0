"""Recordings: uploads in pieces, who is who, and their pictures."""

from typing import Annotated

from fastapi import APIRouter, Body, Query, Response

from pampa.web.change_schemas import EpisodeChange
from pampa.web.recording_schemas import CheckupOut, NewUpload, Order, Parts, RecordingChange, RecordingOut, UploadOut
from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.routes.episodes import change_of

router = APIRouter(tags=["recordings"])

BINARY = {200: {"content": {"application/octet-stream": {}}, "description": "Bytes."}}
LARGEST_PIECE = 32 << 20


@router.get("/episodes/{episode_id}/recordings")
def list_recordings(episode_id: Id, studio: WithStudio, removed: bool = False) -> list[RecordingOut]:
    """What has been brought into an episode, in the order that a person gave it; or what was removed."""
    return [RecordingOut.of(recording) for recording in studio.recordings.of_episode(episode_id, removed=removed)]


@router.put("/episodes/{episode_id}/recordings/order", status_code=204)
def reorder(episode_id: Id, body: Order, studio: WithStudio) -> None:
    """List the recordings in this order."""
    studio.recordings.reorder(episode_id, body.recordings)


@router.post("/episodes/{episode_id}/recordings/join", response_model=EpisodeChange)
def join(episode_id: Id, body: Parts, studio: WithStudio) -> Response:
    """Lay the parts of one recording after one another, in this order, on the track of the first. One edit."""
    return change_of(studio.recordings.join(episode_id, body.recordings, revision=body.revision))


@router.get("/episodes/{episode_id}/checkups")
def list_checkups(episode_id: Id, studio: WithStudio) -> dict[int, CheckupOut]:
    """What was measured of each recording, and what is proposed."""
    return {number: CheckupOut(**found) for number, found in studio.checking_up.of_episode(episode_id).items()}


@router.post("/episodes/{episode_id}/uploads", status_code=201)
def begin_upload(episode_id: Id, body: NewUpload, studio: WithStudio) -> UploadOut:
    """Announce a file; its bytes follow in pieces."""
    details = body.model_dump(exclude={"name", "size"})
    return UploadOut.of(studio.uploads.begin(episode_id, body.name, body.size, **details))


@router.get("/uploads/{upload_id}")
def read_upload(upload_id: str, studio: WithStudio) -> UploadOut:
    """How much of a file has arrived, where to go on after a lost connection, and what recording it became."""
    return UploadOut.of(studio.uploads.get(upload_id))


@router.put("/uploads/{upload_id}")
def send_piece(
    upload_id: str, studio: WithStudio, offset: Frame,
    piece: Annotated[bytes, Body(media_type="application/octet-stream", max_length=LARGEST_PIECE)],
) -> UploadOut:  # fmt: skip
    """Send the next piece. What is answered as received is on disk; after the last, `recording` is what it became."""
    return UploadOut.of(studio.uploads.receive(upload_id, offset, piece))


@router.delete("/uploads/{upload_id}", status_code=204)
def give_up_upload(upload_id: str, studio: WithStudio) -> None:
    """Stop an upload and forget what has arrived."""
    studio.uploads.give_up(upload_id)


@router.patch("/recordings/{recording_id}")
def change_recording(recording_id: Id, body: RecordingChange, studio: WithStudio) -> RecordingOut:
    """Say who it is, what it is for, and which channels count, or rename it."""
    return RecordingOut.of(studio.recordings.change(recording_id, **body.model_dump()))


@router.post("/recordings/{recording_id}/split", status_code=201)
def split_recording(recording_id: Id, studio: WithStudio) -> RecordingOut:
    """Make two recordings of one that holds a person on each side; answers with the right one."""
    return RecordingOut.of(studio.recordings.split(recording_id))


@router.delete("/recordings/{recording_id}", status_code=204)
def remove_recording(recording_id: Id, studio: WithStudio) -> None:
    """Take a recording off the list. The original is kept, and so is what lies on tracks."""
    studio.recordings.remove(recording_id)


@router.post("/recordings/{recording_id}/back", status_code=204)
def bring_recording_back(recording_id: Id, studio: WithStudio) -> None:
    """Bring a removed recording back."""
    studio.recordings.remove(recording_id, back=True)


@router.get("/recordings/{recording_id}/stalks", responses=BINARY, response_class=Response)  # type: ignore[arg-type]
def read_stalks(
    recording_id: Id, studio: WithStudio, level: Annotated[int, Query(ge=0, le=2)],
    first: Frame, last: Frame,
) -> Response:  # fmt: skip
    """Cells of the waveform pyramid, two bytes each, peak and average: 0 for -96 dBFS, 255 for full scale."""
    cells = studio.recordings.stalks(recording_id, level, first, min(last, first + 100_000))
    return Response(cells, media_type="application/octet-stream", headers={"Cache-Control": "private, max-age=60"})


@router.get("/recordings/{recording_id}/wave", responses=BINARY, response_class=Response)  # type: ignore[arg-type]
def read_wave(
    recording_id: Id, studio: WithStudio, start: Frame, stop: Frame,
    points: Annotated[int, Query(ge=1, le=4000)], drift_ppm: Annotated[float, Query(ge=-1000, le=1000)] = 0.0,
) -> Response:  # fmt: skip
    """True waveform: lowest and highest sample of equal stretches, little-endian int16 pairs. At most 60 s.

    Places are frames of the recording after its drift is taken out.
    """
    stop = max(min(stop, start + 60 * 48000), start + 1)
    wave = studio.recordings.wave(recording_id, start, stop, points, drift_ppm)
    return Response(wave, media_type="application/octet-stream")


@router.get("/recordings/{recording_id}/sound", responses=BINARY, response_class=Response)  # type: ignore[arg-type]
def read_sound(
    recording_id: Id, studio: WithStudio, start: Frame = 0,
    frames: Annotated[int, Query(gt=0, le=60 * 48000)] = 30 * 48000,
) -> Response:  # fmt: skip
    """A stretch of a recording as recorded, all about equally loud: float32, stereo, 48 kHz."""
    with studio.executor.heard():
        heard = studio.recordings.sound(recording_id, start, frames)
    return Response(heard.astype("<f4", copy=False).tobytes(), media_type="application/octet-stream")
