"""Mend: how a recording stands, its sound in three ways, and its picture."""

from functools import partial
from typing import Annotated

from fastapi import APIRouter, Query, Response

from pampa.core.mend.picture import MOST_ZOOM
from pampa.studio.mending import Way
from pampa.web.mending_schemas import ReportOut
from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.routes.listening import SOUND
from pampa.web.voice_schemas import NewRecipe, RecipeOut

router = APIRouter(prefix="/recordings/{recording_id}/mending", tags=["mending"])

TILE = {200: {"content": {"application/octet-stream": {}}, "description": "256 columns of 160 bands, a byte each."}}


@router.get("")
def report(recording_id: Id, studio: WithStudio) -> ReportOut:
    """What is on, what the check-up proposes, what was done and where."""
    return ReportOut.of(studio.mending.report(recording_id))


@router.get("/recipes")
def list_recipes(recording_id: Id, studio: WithStudio) -> list[RecipeOut]:
    """What is kept for the show of this recording: first what was made for the same person."""
    return [RecipeOut.model_validate(recipe) for recipe in studio.recipes.of_recording(recording_id)]


@router.post("/recipes", status_code=201)
def keep_recipe(recording_id: Id, body: NewRecipe, studio: WithStudio) -> RecipeOut:
    """Keep how this recording is mended now, and its voice treated. A recipe of that name is replaced."""
    return RecipeOut.model_validate(studio.recipes.keep(recording_id, body.name))


@router.delete("/recipes/{recipe_id}", status_code=204)
def forget_recipe(recording_id: Id, recipe_id: Id, studio: WithStudio) -> None:
    """Let a recipe of the show go. What was mended by it stays so."""
    studio.recipes.forget(recipe_id)


@router.get("/sound", responses=SOUND, response_class=Response)  # type: ignore[arg-type]
def sound(
    recording_id: Id, studio: WithStudio, start: Frame,
    frames: Annotated[int, Query(gt=0, le=30 * 48000)], way: Way = "treated",
    only: Annotated[str | None, Query(max_length=20)] = None,
) -> Response:  # fmt: skip
    """A stretch on the recording's own time: as recorded, as treated at the same loudness, or what is taken away."""
    with studio.executor.heard():
        heard = studio.mending.sound(recording_id, start, frames, way, only)
    headers = {"X-Next-Start": str(start + len(heard)), "Content-Encoding": "identity"}
    return Response(heard.astype("<f4", copy=False).tobytes(), media_type="audio/x-pcm-float32", headers=headers)


@router.get("/picture", responses=TILE, response_class=Response)  # type: ignore[arg-type]
def picture(
    recording_id: Id, studio: WithStudio, zoom: Annotated[int, Query(ge=0, le=MOST_ZOOM)],
    tile: Annotated[int, Query(ge=0, le=1_000_000)], way: Way = "recorded",
) -> Response:  # fmt: skip
    """A tile of the spectrogram: 0 for -110 dBFS, 255 for full scale, from 50 Hz to 20 kHz in even steps of pitch."""
    drawn = studio.executor.seen(partial(studio.mending.picture, recording_id, zoom, tile, way))
    return Response(drawn, media_type="application/octet-stream")


@router.get("/wave", responses=TILE, response_class=Response)  # type: ignore[arg-type]
def wave(
    recording_id: Id, studio: WithStudio, start: Frame, stop: Frame,
    points: Annotated[int, Query(ge=1, le=4000)], way: Way = "treated",
) -> Response:  # fmt: skip
    """Lowest and highest sample of equal stretches, little-endian int16 pairs."""
    stop = max(stop, start + 1)
    pairs = studio.executor.seen(partial(studio.mending.wave, recording_id, start, stop, points, way))
    return Response(pairs, media_type="application/octet-stream")
