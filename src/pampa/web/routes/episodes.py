"""An episode's document: as it stands, edited, undone, redone."""

from fastapi import APIRouter

from pampa.web.edit_schemas import EditRequest
from pampa.web.routes.deps import WithStudio
from pampa.web.schemas import EpisodeState, HistoryEntry, Revision

router = APIRouter(prefix="/episodes/{episode_id}", tags=["editing"])


@router.get("")
def read_episode(episode_id: int, studio: WithStudio) -> EpisodeState:
    """The episode as it stands."""
    return EpisodeState.of(studio.editing.state(episode_id))


@router.post("/edits")
def edit(episode_id: int, body: EditRequest, studio: WithStudio) -> EpisodeState:
    """Make one edit. It is in the database when this answers; against an old revision it is refused (409)."""
    made = studio.editing.edit(episode_id, body.edit.edit, body.edit.parameters(), revision=body.revision)
    return EpisodeState.of(made)


@router.post("/undo")
def undo(episode_id: int, body: Revision, studio: WithStudio) -> EpisodeState:
    """Take back the last edit, without limit."""
    return EpisodeState.of(studio.editing.undo(episode_id, revision=body.revision))


@router.post("/redo")
def redo(episode_id: int, body: Revision, studio: WithStudio) -> EpisodeState:
    """Make the edit again that was taken back last."""
    return EpisodeState.of(studio.editing.redo(episode_id, revision=body.revision))


@router.get("/history")
def history(episode_id: int, studio: WithStudio) -> list[HistoryEntry]:
    """The latest edits, newest first."""
    return [HistoryEntry(**entry) for entry in studio.editing.history(episode_id)]
