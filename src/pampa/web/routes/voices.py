"""Voices: what their chains do, their spectra and curves, single peaks, recipes, and what they were before."""

from dataclasses import asdict
from functools import partial
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Response

from pampa.core.errors import EditRefused
from pampa.studio.voice_curves import COLUMNS, ROWS
from pampa.web.change_schemas import EpisodeChange
from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.routes.episodes import change_of
from pampa.web.schemas import Revision
from pampa.web.voice_schemas import (
    Alike,
    Applied,
    LastTimeOut,
    LikenessOut,
    Nearer,
    NewRecipe,
    PastOut,
    PeakOut,
    RecipeFileIn,
    RecipeOut,
    SpectrumOut,
)

router = APIRouter(prefix="/episodes/{episode_id}", tags=["voices"])

CURVES = {
    200: {
        "content": {"application/octet-stream": {}},
        "description": f"{len(ROWS)} rows ({', '.join(ROWS)}) of {COLUMNS} bytes, one for each 100 ms. Loudness: "
        "quarters of a LU over -70 LUFS, 0 for silence; level: quarters of a dB around 128; taken: quarters of a dB.",
    }
}
FILE = {200: {"content": {"application/json": {}}, "description": "A recipe file."}}


@router.get("/voices")
def voices(episode_id: Id, studio: WithStudio) -> dict[int, dict[str, str]]:
    """By track, and by stage of its chain: what the stage does where that person talks."""
    return studio.voices.reports(episode_id)


@router.get("/voices/{track_id}/spectrum")
def spectrum(episode_id: Id, track_id: Id, studio: WithStudio) -> SpectrumOut:
    """What the voice on a track sounds like, as recorded and as its chain leaves it."""
    return SpectrumOut.model_validate(studio.executor.seen(partial(studio.voices.spectrum, episode_id, track_id)))


@router.get("/voices/{track_id}/curves", responses=CURVES, response_class=Response)  # type: ignore[arg-type]
def curves(
    episode_id: Id, track_id: Id, studio: WithStudio, recording: Frame, tile: Annotated[int, Query(ge=0, le=100_000)]
) -> Response:
    """Loudness, level, and what compressor and sibilance take, over 80 s of a recording on a track."""
    drawn = studio.voice_curves.tile(episode_id, track_id, recording, tile)
    return Response(drawn, media_type="application/octet-stream")


@router.post("/voices/{track_id}/fit", response_model=EpisodeChange)
def fit(episode_id: Id, track_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Make a voice even and clear: every phrase at one loudness, its tone near average speech. One edit."""
    return change_of(studio.voices.fit(episode_id, track_id, revision=body.revision))


@router.post("/voices/{track_id}/nearer", response_model=EpisodeChange)
def bring_nearer(episode_id: Id, track_id: Id, body: Nearer, studio: WithStudio) -> Response:
    """Set tone, bands, compressor, sibilance and warmth by one amount. One edit."""
    return change_of(studio.voices.bring_nearer(episode_id, track_id, body.amount, revision=body.revision))


@router.get("/peaks")
def peaks(episode_id: Id, studio: WithStudio) -> list[PeakOut]:
    """Syllables that stick out of their phrase, in order of time, with what was decided about each."""
    return [PeakOut.model_validate(peak) for peak in studio.voices.peaks(episode_id)]


# -- what is known from other episodes -------------------------------------------------------------------------------


@router.get("/voices/{track_id}/past")
def past(episode_id: Id, track_id: Id, studio: WithStudio) -> PastOut:
    """How the person was treated last time, and what they sounded like in episodes that went out."""
    person = studio.editing.state(episode_id).document.track(track_id).name
    last = studio.recipes.last_time(episode_id, person)
    return PastOut(
        last=None if last is None else LastTimeOut.model_validate(last),
        likenesses=[
            LikenessOut(id=then.id, episode=then.episode, number=then.number, **asdict(then.heard))
            for then in studio.likenesses.of_person(episode_id, person)
        ],
    )


@router.post("/voices/{track_id}/last", response_model=EpisodeChange)
def as_last_time(episode_id: Id, track_id: Id, body: Revision, studio: WithStudio) -> Response:
    """Treat the voice, and mend its recordings, as in the latest other episode. One edit."""
    return change_of(studio.recipes.as_last_time(episode_id, track_id, revision=body.revision))


@router.post("/voices/{track_id}/alike", response_model=EpisodeChange)
def make_alike(episode_id: Id, track_id: Id, body: Alike, studio: WithStudio) -> Response:
    """Correct tone and gain towards what the person was in another episode, by 3 dB at most. One edit."""
    return change_of(studio.likenesses.make_alike(episode_id, track_id, body.likeness, revision=body.revision))


# -- recipes ---------------------------------------------------------------------------------------------------------


@router.get("/recipes")
def list_recipes(
    episode_id: Id, studio: WithStudio, person: Annotated[str, Query(max_length=200)] = ""
) -> list[RecipeOut]:
    """What is kept for the show: first what was made for the person."""
    return [RecipeOut.model_validate(recipe) for recipe in studio.recipes.of_episode(episode_id, person)]


@router.post("/voices/{track_id}/recipes", status_code=201)
def keep_recipe(episode_id: Id, track_id: Id, body: NewRecipe, studio: WithStudio) -> RecipeOut:
    """Keep how this voice is mended and treated now. A recipe of that name is replaced."""
    return RecipeOut.model_validate(studio.recipes.keep_of_track(episode_id, track_id, body.name))


@router.post("/recipes/file", status_code=201)
def read_recipe(episode_id: Id, body: RecipeFileIn, studio: WithStudio) -> RecipeOut:
    """Keep what a recipe file holds."""
    return RecipeOut.model_validate(studio.recipes.keep_file(episode_id, body.text, body.called))


@router.get("/recipes/{recipe_id}/file", responses=FILE, response_class=Response)  # type: ignore[arg-type]
def write_recipe(episode_id: Id, recipe_id: Id, studio: WithStudio) -> Response:
    """A recipe as a plain JSON file."""
    text, name = studio.recipes.file(recipe_id)
    attached = f"attachment; filename*=UTF-8''{quote(name, safe='')}.json"
    return Response(text, media_type="application/json", headers={"Content-Disposition": attached})


@router.delete("/recipes/{recipe_id}", status_code=204)
def forget_recipe(episode_id: Id, recipe_id: Id, studio: WithStudio) -> None:
    """Let a recipe of the show go. What was treated by it stays so."""
    studio.recipes.forget(recipe_id)


@router.post("/treat", response_model=EpisodeChange)
def treat(episode_id: Id, body: Applied, studio: WithStudio) -> Response:
    """Treat the voices on tracks by a recipe or from a starting point, whole or in part. One edit."""
    if (body.recipe is None) == (body.start is None):
        raise EditRefused("Name a recipe, or a starting point, and not both. Nothing was changed.")
    if body.recipe is not None:
        state = studio.recipes.apply(
            episode_id, body.recipe, body.tracks, parts=body.parts, revision=body.revision
        )  # fmt: skip
    else:
        state = studio.recipes.start(
            episode_id, body.start or "", body.tracks, parts=body.parts, revision=body.revision
        )  # fmt: skip
    return change_of(state)
