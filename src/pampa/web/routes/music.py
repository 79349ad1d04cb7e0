"""Music around the talk: set, fitted, and drawn."""

from functools import partial

from fastapi import APIRouter, Response

from pampa.web.change_schemas import EpisodeChange
from pampa.web.music_schemas import AnySet, BeatsOut, BusesOut, Fit, frames
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.routes.episodes import change_of
from pampa.web.schemas import JobStarted

router = APIRouter(tags=["music"])


@router.post("/episodes/{episode_id}/music", response_model=EpisodeChange)
def set_music(episode_id: Id, body: AnySet, studio: WithStudio) -> Response:
    """Set a piece of the larder around the talk: an opening, an ending, a sting, or a bed under a stretch."""
    told = {**body.told(), "under_lu": body.under_lu}
    return change_of(studio.music.set(episode_id, body.what, body.piece, told, revision=body.revision))


@router.get("/episodes/{episode_id}/steps")
def steps(episode_id: Id, studio: WithStudio) -> dict[int, list[tuple[int, float]]]:
    """By track of music or effects, how far it steps back under the talk: frames and gains in dB."""
    return studio.executor.seen(partial(studio.music.steps, episode_id))


@router.get("/episodes/{episode_id}/buses")
def buses(episode_id: Id, studio: WithStudio) -> BusesOut:
    """How loud each bus is by itself."""
    return BusesOut.model_validate(studio.executor.seen(partial(studio.listening.buses, episode_id)))


@router.post("/episodes/{episode_id}/clips/{clip_id}/fit", status_code=202)
def fit(episode_id: Id, clip_id: Id, body: Fit, studio: WithStudio) -> JobStarted:
    """Make a piece of music last as long as asked; it begins and ends as it did. An event tells when it lies there."""
    return JobStarted(job=studio.music.fit(episode_id, clip_id, frames(body.length_s)))


@router.get("/recordings/{recording_id}/beats")
def beats(recording_id: Id, studio: WithStudio) -> BeatsOut:
    """Where a recording of music beats; nowhere if no steady beat is heard."""
    return BeatsOut.of(studio.executor.seen(partial(studio.music.beats, recording_id)))
