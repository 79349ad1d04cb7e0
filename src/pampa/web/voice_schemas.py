"""What goes over the wire about voices: spectra, peaks, recipes, and what people sounded like before."""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from pampa.studio.recipes import PARTS
from pampa.web.schemas import AmountsBody, Number, RecipeBody, Revision, Told

STRICT = ConfigDict(extra="forbid")
Part = Annotated[str, Field(max_length=20, examples=[PARTS[0]])]


class SpectrumOut(Told):
    """What a voice sounds like, in bands of a sixth of an octave; levels in dB, but for how loud it is."""

    hz: list[float]
    before: list[float]
    after: list[float]
    room: list[float] = Field(description="As far under the speech as it was recorded.")
    common: list[float] = Field(description="Average speech (Byrne et al. 1994).")


class PeakOut(Told):
    """A syllable that sticks out of its phrase."""

    track: int
    recording: int
    start: int = Field(description="Frames of the recording, as clips count.")
    stop: int
    start_s: float
    stop_s: float
    place: int = Field(description="Where it is heard in the episode, in frames.")
    lower_db: float = Field(description="By how much it is proposed to be lowered.")
    state: str = Field(examples=["open", "lowered", "left"])


class LikenessOut(Told):
    """What a person sounded like in an episode that went out."""

    id: int
    episode: str
    number: int | None
    speech_lufs: float | None
    spread_lu: float | None = Field(description="How far apart soft and loud phrases lay.")
    floor_lufs: float | None
    spectrum_db: list[float]
    gain_db: float


class LastTimeOut(Told):
    """How the same person was treated in the latest other episode."""

    episode: str
    amounts: AmountsBody
    voice: RecipeBody


class PastOut(BaseModel):
    """What is known of the person from other episodes."""

    last: LastTimeOut | None
    likenesses: list[LikenessOut]


class RecipeOut(Told):
    """A recipe: how recordings are mended, how a voice is treated, or both; empty where it leaves that as it is."""

    id: int
    person: str = Field(description="Whose voice it was made for.", examples=["Anders Quill"])
    name: str = Field(examples=["Anders, kitchen"])
    amounts: dict[str, Any]
    voice: dict[str, Any]


class NewRecipe(BaseModel):
    """What a recipe is to be called."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"name": "Anders, kitchen"}]})

    name: Annotated[str, Field(max_length=120)]


class RecipeFileIn(BaseModel):
    """A recipe file as it was read."""

    model_config = STRICT

    called: Annotated[str, Field(max_length=200)]
    text: Annotated[str, Field(max_length=200_000)]


class Applied(Revision):
    """A recipe, or a starting point, for the voices on some tracks."""

    model_config = STRICT

    tracks: Annotated[list[Number], Field(min_length=1, max_length=200)]
    recipe: Number | None = None
    start: Annotated[str, Field(max_length=40)] | None = None
    parts: Annotated[list[Part], Field(max_length=20)] = list(PARTS)


class Nearer(Revision):
    model_config = STRICT

    amount: Annotated[float, Field(ge=0, le=100)]


class Alike(Revision):
    model_config = STRICT

    likeness: Number
