"""Straight through: what would be done, doing it, what was done, and taking parts of it back."""

from fastapi import APIRouter

from pampa.core.straight.steps import Name
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import JobStarted
from pampa.web.straight_schemas import PlanOut, StraightOut, WantsSchema

router = APIRouter(prefix="/episodes/{episode_id}/straight-through", tags=["straight through"])


@router.get("")
def read(episode_id: Id, studio: WithStudio) -> StraightOut:
    """What would be done, as far as it is known, and what was done last time."""
    straight = studio.straight_through
    return StraightOut.of(straight.plan(episode_id), straight.report(episode_id))


@router.post("/ahead", status_code=202)
def look_ahead(episode_id: Id, studio: WithStudio) -> JobStarted:
    """Begin to measure what the plan tells figures of. Nothing is changed; an event tells the end."""
    return JobStarted(job=studio.straight_through.look_ahead(episode_id))


@router.post("/plan")
def plan(episode_id: Id, body: WantsSchema, studio: WithStudio) -> PlanOut:
    """What would be done if this were wanted."""
    return PlanOut.of(studio.straight_through.plan(episode_id, body.wants()))


@router.post("", status_code=202)
def go(episode_id: Id, body: WantsSchema, studio: WithStudio) -> JobStarted:
    """Begin to do it; what is wanted is remembered for the show."""
    return JobStarted(job=studio.straight_through.go(episode_id, body.wants()))


@router.post("/{name}/back", status_code=204)
def take_back(episode_id: Id, name: Name, studio: WithStudio) -> None:
    """Take one of the steps back alone, by edits."""
    studio.straight_through.take_back(episode_id, name)
