"""Aids to cutting: seams opened and checked, the quiet between words, room tone, the history, versions."""

from fastapi import APIRouter, Response

from pampa.web.change_schemas import EpisodeChange
from pampa.web.cutting_schemas import (
    DifferenceOut,
    GoTo,
    JoinsOut,
    NewVersion,
    OpenedOut,
    QuietOut,
    ToneBody,
    VersionOut,
)
from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.routes.episodes import change_of
from pampa.web.schemas import EpisodeState, Place, Revision

router = APIRouter(tags=["cutting"])
EPISODE = "/episodes/{episode_id}"


@router.get(EPISODE + "/seams/{seam_id}/open")
def open_seam(episode_id: Id, seam_id: Id, studio: WithStudio) -> OpenedOut:
    """The episode as it would be with a seam put back, to see and hear what is missing. Nothing is changed."""
    return OpenedOut.of(studio.joins.opened(episode_id, seam_id))


@router.get(EPISODE + "/quiet")
def quiet(episode_id: Id, studio: WithStudio, at: Frame, track: Frame | None = None) -> QuietOut:
    """The place next to `at` where cutting is heard least: on one track, or of all talk together."""
    place: Place = studio.joins.quiet(episode_id, at, track)
    return QuietOut(at=place)


@router.post(EPISODE + "/tone", response_model=EpisodeChange)
def put_in_tone(episode_id: Id, body: ToneBody, studio: WithStudio) -> Response:
    """Open time for everybody, filled with the room that each was recorded in."""
    return change_of(studio.joins.put_in_tone(episode_id, body.at, body.length, revision=body.revision))


@router.get(EPISODE + "/joins")
def read_joins(episode_id: Id, studio: WithStudio) -> JoinsOut:
    """Which seams may be heard, as last listened for."""
    return JoinsOut.of(studio.joins.checked(episode_id))


@router.post(EPISODE + "/joins", status_code=202)
def check_joins(episode_id: Id, studio: WithStudio) -> JoinsOut:
    """Begin to listen to all joins; an event tells the end."""
    return JoinsOut.of(studio.joins.check(episode_id))


@router.post(EPISODE + "/go-to", response_model=EpisodeState)
def go_to(episode_id: Id, body: GoTo, studio: WithStudio) -> Response:
    """Go to any point of the history."""
    state = studio.editing.go_to(episode_id, body.position, revision=body.revision)
    return Response(EpisodeState.of(state).model_dump_json(), media_type="application/json")


@router.get(EPISODE + "/versions")
def list_versions(episode_id: Id, studio: WithStudio) -> list[VersionOut]:
    """The versions that were kept, newest first."""
    return [VersionOut.model_validate(version) for version in studio.versions.of_episode(episode_id)]


@router.post(EPISODE + "/versions", status_code=201)
def keep_version(episode_id: Id, body: NewVersion, studio: WithStudio) -> VersionOut:
    """Keep the episode as it stands, under a name."""
    return VersionOut.model_validate(studio.versions.keep(episode_id, body.name))


@router.get("/versions/{version_id}/against-now")
def compare(version_id: Id, studio: WithStudio) -> DifferenceOut:
    """How the episode as it stands differs from a version."""
    return DifferenceOut.of(studio.versions.against_now(version_id))


@router.post("/versions/{version_id}/restore", response_model=EpisodeState)
def restore(version_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Make the episode what it was then; undone like any edit."""
    state = studio.versions.restore(version_id, revision=body.revision)
    return Response(EpisodeState.of(state).model_dump_json(), media_type="application/json")


@router.delete("/versions/{version_id}", status_code=204)
def let_go(version_id: Id, studio: WithStudio) -> None:
    """Forget a version."""
    studio.versions.let_go(version_id)
