"""An episode's document: as it stands, edited, undone, redone."""

from fastapi import APIRouter, Response

from pampa.studio.editing import State
from pampa.web.change_schemas import EpisodeChange
from pampa.web.edit_schemas import EditRequest
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import EpisodeState, HistoryEntry, Revision

router = APIRouter(prefix="/episodes/{episode_id}", tags=["editing"])


def change_of(state: State) -> Response:
    """What changed, as JSON written once: checking it again on its way out would take longer than the edit."""
    return Response(EpisodeChange.of(state.before, state).model_dump_json(), media_type="application/json")


@router.get("", response_model=EpisodeState)
def read_episode(episode_id: Id, studio: WithStudio) -> Response:
    """The episode as it stands."""
    body = EpisodeState.of(studio.editing.state(episode_id)).model_dump_json()
    return Response(body, media_type="application/json")


@router.post("/edits", response_model=EpisodeChange)
def edit(episode_id: Id, body: EditRequest, studio: WithStudio) -> Response:
    """Make one edit. It is in the database when this answers; against an old revision it is refused (409)."""
    if body.at is not None:
        studio.mending.listens_at(episode_id, body.at)
    made = studio.editing.edit(episode_id, body.edit.edit, body.edit.parameters(), revision=body.revision)
    return change_of(made)


@router.post("/undo", response_model=EpisodeChange)
def undo(episode_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Take back the last edit, without limit."""
    return change_of(studio.editing.undo(episode_id, revision=body.revision))


@router.post("/redo", response_model=EpisodeChange)
def redo(episode_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Make the edit again that was taken back last."""
    return change_of(studio.editing.redo(episode_id, revision=body.revision))


@router.get("/history")
def history(episode_id: Id, studio: WithStudio) -> list[HistoryEntry]:
    """The latest edits, newest first."""
    return [HistoryEntry(**entry) for entry in studio.editing.history(episode_id)]
