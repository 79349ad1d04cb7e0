"""Sound for the player, and loudness as it stands."""

from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import TypeAdapter, ValidationError

from pampa.core.errors import EditRefused
from pampa.core.voice.recipe import Recipe
from pampa.studio.listening import Laid
from pampa.studio.studio import Studio
from pampa.web.routes.deps import Frame, Id, WithStudio
from pampa.web.schemas import RecipeBody, StandingOut

router = APIRouter(prefix="/episodes/{episode_id}", tags=["listening"])

INSTEAD = TypeAdapter(dict[int, RecipeBody])
SOUND = {200: {"content": {"audio/x-pcm-float32": {}}, "description": "Little-endian float32, stereo, 48 kHz."}}


@router.get("/sound", responses=SOUND, response_class=Response)  # type: ignore[arg-type]
def sound(
    episode_id: Id, studio: WithStudio,
    start: Frame, frames: Annotated[int, Query(gt=0, le=30 * 48000)],
    speed: Annotated[float, Query(ge=0.5, le=2.5)] = 1.0, tail: Frame | None = None, treated: bool = True,
    only: Annotated[list[Frame] | None, Query()] = None, gain_db: Annotated[float, Query(ge=-40, le=40)] = 0.0,
    open_seam: Frame | None = None, without: Annotated[list[Frame] | None, Query(min_length=2, max_length=2)] = None,
    instead: Annotated[str | None, Query(max_length=4000)] = None, taken_track: Frame | None = None,
    taken_stage: Annotated[str, Query(max_length=20)] = "", piece: Frame | None = None, piece_at: Frame = 0,
) -> Response:  # fmt: skip
    """A piece of the episode as it will go out: the very samples that an encoder is given at the same gain.

    open_seam : a seam that is heard as if it had been put back. without : two places; what lies between is heard as
    if it had been taken out, and `start` counts in the episode that is left. instead : as JSON, by track, a recipe
    that is heard as if it were the track's. piece, piece_at : a piece of the larder that is heard as if it lay there.
    taken_track, taken_stage : what that stage takes of that voice, alone.
    """
    try:
        recipes = INSTEAD.validate_json(instead) if instead else {}
    except ValidationError as error:
        raise EditRefused("What is to be heard instead is no recipe. Nothing was changed.") from error
    with studio.executor.heard():
        heard = studio.listening.sound(
            episode_id, start=start, frames=frames, speed=speed, tail=tail, treated=treated,
            only=frozenset(only or ()), gain_db=gain_db,
            open_seam=open_seam, without=(without[0], without[1]) if without else None,
            instead={track: Recipe(**body.model_dump()) for track, body in recipes.items()},
            taken=None if taken_track is None else (taken_track, taken_stage),
            with_piece=None if piece is None else _laid(studio, piece, piece_at),
        )  # fmt: skip
    headers = {"X-Next-Start": str(heard.next_start), "X-Revision": str(heard.revision)}
    if heard.tail is not None:
        headers["X-Tail"] = str(heard.tail)
    body = heard.sound.astype("<f4", copy=False).tobytes()
    return Response(body, media_type="audio/x-pcm-float32", headers={**headers, "Content-Encoding": "identity"})


def _laid(studio: Studio, piece_id: int, at: int) -> Laid:
    piece = studio.larder.get(piece_id)
    return Laid(piece.recording_id, piece.start, piece.length, at)


@router.get("/loudness")
def loudness(episode_id: Id, studio: WithStudio) -> StandingOut:
    """The loudness as last measured. While it is being measured anew, `current` is false and an event follows."""
    standing = studio.listening.standing(episode_id)
    return StandingOut.of(standing, studio.editing.state(episode_id).revision)
