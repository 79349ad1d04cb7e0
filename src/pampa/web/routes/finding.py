"""Finds: what the analysis proposes to take out or shorten."""

from fastapi import APIRouter

from pampa.web.finding_schemas import FindsOut
from pampa.web.routes.deps import Id, WithStudio

router = APIRouter(prefix="/episodes/{episode_id}/finds", tags=["finds"])


@router.get("")
def list_finds(episode_id: Id, studio: WithStudio) -> FindsOut:
    """Everything found, tied to its recording. Where `waits` is true it is being looked for; an event tells the end."""
    found = studio.finding.of_episode(episode_id)
    return FindsOut.model_validate({"waits": found.waits, "finds": found.finds, "unheard": found.unheard})
