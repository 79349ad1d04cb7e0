"""What goes over the wire. Places and lengths are frames at 48 kHz; levels are dB."""

from dataclasses import fields
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, PlainSerializer, create_model

from pampa.core.mend.amounts import Amounts
from pampa.core.mix.tails import sounds_until
from pampa.core.special.kinds import SpecialKind
from pampa.core.timeline.document import BusName, Crossing, Fade, Kind, RoomName
from pampa.core.timeline.limits import hints_of
from pampa.core.voice.recipe import Recipe
from pampa.studio.editing import State
from pampa.studio.listening import Standing
from pampa.studio.shows import Episode, Show

Place = Annotated[int, Field(ge=0, le=1 << 40)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Seconds = Annotated[float, Field(ge=0, le=1_000_000)]


Number = Annotated[int, Field(ge=0, lt=1 << 63)]
"""Of something in the database, or a revision."""
Moment = Annotated[datetime, PlainSerializer(lambda moment: moment.replace(tzinfo=UTC), when_used="json-unless-none")]
"""The database keeps times in UTC, without a zone; over the wire they have one."""


TOLD_OF_MENDING = [field for field in fields(Amounts) if field.name != "among"]


class Told(BaseModel):
    model_config = ConfigDict(from_attributes=True)


class ErrorDetail(BaseModel):
    kind: str = Field(examples=["RevisionConflict"])
    message: str = Field(examples=["The episode is at revision 8, this page showed 7. Nothing was lost."])


class ErrorBody(BaseModel):
    """Every error has this shape. The message can be shown as it stands."""

    error: ErrorDetail


class NewShow(BaseModel):
    name: Name = Field(examples=["Slack Water"])
    host: str = Field("", max_length=200, examples=["Marisol Vey"])


class ShowChange(BaseModel):
    name: Name | None = None
    host: str | None = Field(None, max_length=200)
    archived: bool | None = None


class NewEpisode(BaseModel):
    title: Name = Field(examples=["The Pilot Ladder"])
    number: int | None = Field(None, ge=0, le=100_000, examples=[12])


class EpisodeChange(BaseModel):
    title: Name | None = None
    number: int | None = Field(None, ge=0, le=100_000)
    archived: bool | None = None


class ShowOut(Told):
    id: int
    name: str
    host: str
    archived: bool

    @classmethod
    def of(cls, show: Show) -> "ShowOut":
        return cls.model_validate(show)


class EpisodeOut(Told):
    id: int
    show_id: int
    title: str
    number: int | None
    archived: bool
    revision: int

    @classmethod
    def of(cls, episode: Episode) -> "EpisodeOut":
        return cls.model_validate(episode)


class SendOut(Told):
    bus: BusName
    level_db: float


class SpecialOut(Told):
    kind: SpecialKind
    amount: float


class ClipOut(Told):
    id: int
    recording: int
    source: int
    start: int
    length: int
    gain_db: float
    fade_in: int
    fade_out: int
    muted: bool
    envelope: tuple[tuple[int, float], ...] = Field(description="Gains in dB at frames of the recording.")
    shape_in: Fade
    shape_out: Fade
    sends: list[SendOut]
    special: SpecialOut | None


if TYPE_CHECKING:

    class AmountsBody(BaseModel):
        """How much of each process of Mend."""

    class RecipeBody(BaseModel):
        """How a voice is treated."""

else:
    STRICT = ConfigDict(extra="forbid", from_attributes=True)
    AmountsBody = create_model(
        "AmountsBody",
        __config__=STRICT,
        __doc__="How much of each process of Mend, 0 to 100; polarity and phase on or off; where noise is alone, in "
        "seconds. hiss: of noise above 8 kHz, if other than below. spots: single places, worked by hand.",
        **{field.name: (hints_of(Amounts)[field.name], field.default) for field in TOLD_OF_MENDING},
    )
    """The limits are those of the core. Who else is in the conversation is known here, and nobody's to tell."""
    RecipeBody = create_model(
        "RecipeBody",
        __config__=STRICT,
        __doc__="How a voice is treated: the settings of every stage of its chain.",
        **{field.name: (hints_of(Recipe)[field.name], field.default) for field in fields(Recipe)},
    )


class BusOut(Told):
    name: BusName
    gain_db: float
    muted: bool
    pressed: float
    room: RoomName


class UnderOut(Told):
    lu: float
    hold_s: float
    back_s: float


class TrackFacts(Told):
    id: int
    name: str
    kind: Kind
    linked: bool
    gain_db: float
    muted: bool
    treated: bool
    pinned: bool
    recipe: RecipeBody
    sends: list[SendOut]
    special: SpecialOut | None
    under: UnderOut | None = Field(description="How far it lies under the talk; null: the episode's depth.")


class TrackOut(TrackFacts):
    clips: list[ClipOut]


class SeamOut(Told):
    id: int
    at: int
    length: int
    closed: bool
    crossfade: int
    crossing: Crossing
    laid: tuple[int, ...] = Field(description="Clips that were moved here; they go when the seam is put back.")


class MarkerOut(Told):
    id: int
    at: int
    name: str
    tint: int
    chapter: bool
    link: str
    picture: str


class DuckingOut(Told):
    depth_db: float


class ClockOut(Told):
    """A recording that drifts: its clips count frames of time * (1 + drift_ppm * 1e-6)."""

    recording: int
    drift_ppm: float


class MendingOut(Told):
    """A recording that is mended, and by how much."""

    recording: int
    amounts: AmountsBody


class LeftOut(Told):
    """A find that stays, or that was marked by hand."""

    kind: str
    recording: int
    start: int
    stop: int


class StepOut(Told):
    """What an episode needs next: the stage where it is done, none where all is done, and one sentence."""

    stage: str | None
    told: str


class DrawnPersonOut(Told):
    """A person's talk along the episode: levels as in the waveform pyramid, one for each column."""

    name: str
    gain_db: float
    levels: list[int]


class GlanceOut(Told):
    """An episode on the desk. lufs : as last measured, or none."""

    length: int
    people: list[DrawnPersonOut]
    lufs: float | None
    step: StepOut


class EpisodeState(BaseModel):
    """An episode as it stands, with what undo and redo would do."""

    revision: int
    length: int
    sounds_until: int = Field(description="Where the last of it has died away.")
    undo: str | None
    redo: str | None
    tracks: list[TrackOut]
    seams: list[SeamOut]
    markers: list[MarkerOut]
    ducking: DuckingOut
    clocks: list[ClockOut]
    mendings: list[MendingOut]
    left: list[LeftOut]
    added: list[LeftOut]
    buses: list[BusOut]

    @classmethod
    def of(cls, state: State) -> "EpisodeState":
        document = state.document
        return cls(
            revision=state.revision, length=document.length, sounds_until=sounds_until(document), undo=state.undo,
            redo=state.redo,
            tracks=[TrackOut.model_validate(track) for track in document.tracks],
            seams=[SeamOut.model_validate(seam) for seam in document.seams],
            markers=[MarkerOut.model_validate(marker) for marker in document.markers],
            ducking=DuckingOut.model_validate(document.ducking),
            clocks=[ClockOut.model_validate(clock) for clock in document.clocks],
            mendings=[MendingOut.model_validate(mending) for mending in document.mendings],
            left=[LeftOut.model_validate(left) for left in document.left],
            added=[LeftOut.model_validate(added) for added in document.added],
            buses=[BusOut.model_validate(bus) for bus in document.buses],
        )  # fmt: skip


class Revision(BaseModel):
    revision: Number = Field(description="The revision that the page shows.", examples=[7])


class HistoryEntry(BaseModel):
    position: int
    what: str = Field(examples=["Took out 2.4 s at 0:01:02.3"])
    made: Moment
    in_force: bool


class LoudnessOut(Told):
    integrated_lufs: float | None
    loudness_range_lu: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    true_peak_dbtp: float | None
    sample_peak_dbfs: float | None


class StandingOut(BaseModel):
    """The loudness of the episode as it stood at `revision`; `loudness` is null until it is first known."""

    current: bool
    revision: int | None
    loudness: LoudnessOut | None
    short_term_lufs: list[float | None]

    @classmethod
    def of(cls, standing: Standing | None, revision: int) -> "StandingOut":
        if standing is None:
            return cls(current=False, revision=None, loudness=None, short_term_lufs=[])
        return cls(
            current=standing.revision == revision, revision=standing.revision,
            loudness=LoudnessOut.model_validate(standing.loudness), short_term_lufs=standing.short_term_lufs,
        )  # fmt: skip


class JobStarted(BaseModel):
    job: int


class JobOut(BaseModel):
    id: int
    kind: str
    label: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    doing: str
    share: float
    error: str
