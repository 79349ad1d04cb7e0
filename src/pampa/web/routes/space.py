"""Deleting for good: what it would free, and doing it."""

from fastapi import APIRouter

from pampa.web.recording_schemas import FreedOut
from pampa.web.routes.deps import Id, WithStudio

router = APIRouter(tags=["space"])


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
