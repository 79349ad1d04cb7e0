"""Patterns of a show: made from an episode, begun from again."""

from fastapi import APIRouter, Response

from pampa.web.change_schemas import EpisodeChange
from pampa.web.larder_schemas import NewPattern, PatternOut
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.routes.episodes import change_of
from pampa.web.schemas import EpisodeOut, NewEpisode, Revision

router = APIRouter(tags=["patterns"])


@router.get("/shows/{show_id}/patterns")
def list_patterns(show_id: Id, studio: WithStudio) -> list[PatternOut]:
    """How the show's episodes usually are, the latest pattern first."""
    return [PatternOut.of(pattern) for pattern in studio.patterns.of_show(show_id)]


@router.post("/episodes/{episode_id}/pattern", status_code=201)
def make_pattern(episode_id: Id, body: NewPattern, studio: WithStudio) -> PatternOut:
    """Make a pattern of an episode: its people with recipes, its pieces with their places. One of that name goes."""
    return PatternOut.of(studio.patterns.make(episode_id, body.name))


@router.delete("/patterns/{pattern_id}", status_code=204)
def forget_pattern(pattern_id: Id, studio: WithStudio) -> None:
    """Drop a pattern. Episodes that began from it stay as they are."""
    studio.patterns.forget(pattern_id)


@router.post("/patterns/{pattern_id}/episodes", status_code=201)
def begin_episode(pattern_id: Id, body: NewEpisode, studio: WithStudio) -> EpisodeOut:
    """A new episode from a pattern: tracks that wait for their people, and the pieces of the beginning in place."""
    return EpisodeOut.of(studio.patterns.begin(pattern_id, body.title, body.number))


@router.post("/episodes/{episode_id}/ending", response_model=EpisodeChange)
def lay_ending(episode_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Lay them, as far from the end of the talk as in the episode that the pattern was made of."""
    return change_of(studio.patterns.lay_ending(episode_id, revision=body.revision))
