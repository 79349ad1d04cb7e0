"""Shows and episodes: list, make, rename, archive."""

from fastapi import APIRouter

from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import EpisodeChange, EpisodeOut, GlanceOut, NewEpisode, NewShow, ShowChange, ShowOut, StepOut

router = APIRouter(tags=["shows"])


@router.get("/shows")
def list_shows(studio: WithStudio, archived: bool = False) -> list[ShowOut]:
    """All shows by name."""
    return [ShowOut.of(show) for show in studio.shows.all_shows(archived=archived)]


@router.post("/shows", status_code=201)
def make_show(body: NewShow, studio: WithStudio) -> ShowOut:
    """Begin a show."""
    return ShowOut.of(studio.shows.make_show(body.name, body.host))


@router.patch("/shows/{show_id}")
def change_show(show_id: Id, body: ShowChange, studio: WithStudio) -> ShowOut:
    """Rename a show, change its host, archive it or bring it back."""
    return ShowOut.of(studio.shows.change_show(show_id, name=body.name, host=body.host, archived=body.archived))


@router.get("/shows/{show_id}/episodes")
def list_episodes(show_id: Id, studio: WithStudio, archived: bool = False) -> list[EpisodeOut]:
    """Episodes of a show, the latest first."""
    return [EpisodeOut.of(episode) for episode in studio.shows.episodes(show_id, archived=archived)]


@router.post("/shows/{show_id}/episodes", status_code=201)
def make_episode(show_id: Id, body: NewEpisode, studio: WithStudio) -> EpisodeOut:
    """Begin an episode; without a number it gets the next one."""
    return EpisodeOut.of(studio.shows.make_episode(show_id, body.title, body.number))


@router.get("/episodes/{episode_id}/glance")
def glance(episode_id: Id, studio: WithStudio) -> GlanceOut:
    """An episode at a glance: its talk drawn small, length, loudness, and what it needs next."""
    return GlanceOut.model_validate(studio.desk.glance(episode_id))


@router.get("/episodes/{episode_id}/next")
def next_step(episode_id: Id, studio: WithStudio) -> StepOut:
    """What an episode needs next, and why."""
    return StepOut.model_validate(studio.desk.step(episode_id))


@router.patch("/episodes/{episode_id}")
def change_episode(episode_id: Id, body: EpisodeChange, studio: WithStudio) -> EpisodeOut:
    """Rename or renumber an episode, archive it or bring it back."""
    changed = studio.shows.change_episode(episode_id, title=body.title, number=body.number, archived=body.archived)
    return EpisodeOut.of(changed)
