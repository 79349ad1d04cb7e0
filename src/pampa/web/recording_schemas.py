"""Recordings, uploads and check-ups over the wire, and what deleting for good frees."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from pampa.studio.recordings import Recording
from pampa.studio.uploads import Upload
from pampa.web.schemas import Name, Number, Told


class RecordingOut(Told):
    id: int
    name: str
    person: str
    role: str
    channels: str
    state: str
    error: str
    size: int
    facts: dict[str, Any]

    @classmethod
    def of(cls, recording: Recording) -> "RecordingOut":
        return cls.model_validate(recording)


Role = Literal["person", "spot", "music", "effects", "room tone", "reference"]


class RecordingChange(BaseModel):
    name: Name | None = Field(None, description="What the file is called in lists.")
    person: str | None = Field(None, max_length=80)
    role: Role | None = None
    channels: Literal["auto", "keep", "left", "right", "sum"] | None = None


class NewUpload(BaseModel):
    name: str = Field(min_length=1, max_length=1000, examples=["anders_local.wav"])
    size: Number = Field(examples=[60_400_000])
    after_track: Number | None = Field(
        None, description="Put it after what lies on this track; else on one of its own."
    )
    person: str = Field("", max_length=80)
    role: Role = "person"
    placed: bool = Field(False, description="Leave it in the list; it is laid on a track by an edit.")


class Order(BaseModel):
    recordings: list[Number] = Field(max_length=10_000, examples=[[3, 1, 2]])


class Parts(BaseModel):
    revision: Number
    recordings: Annotated[list[Number], Field(min_length=2, max_length=1000, examples=[[3, 4]])]


class UploadOut(Told):
    id: str
    name: str
    size: int
    received: int
    recording: int | None = None

    @classmethod
    def of(cls, upload: Upload) -> "UploadOut":
        return cls(id=upload.id, name=upload.name, size=upload.size, received=upload.received,
                   recording=upload.recording_id)  # fmt: skip


class FreedOut(Told):
    """What deleting something for good frees, and how many originals and delivered files go with it."""

    bytes: int
    recordings: int
    deliveries: int


class FindingOut(BaseModel):
    kind: str = Field(examples=["noise"])
    text: str = Field(examples=["Floor \u221246 dBFS, 21 dB under speech. Proposed: noise, gentle."])
    process: str | None
    amount: int | None


class HumOut(BaseModel):
    hz: float
    level_dbfs: float
    harmonics: list[tuple[int, float]]


class CheckupOut(BaseModel):
    """What was measured of a recording; null for what it does not let one tell. Levels in dB, times in seconds."""

    speech_dbfs: float | None
    peak_dbfs: float | None
    floor_dbfs: float | None
    over_floor_db: float | None
    hum: HumOut | None
    bandwidth_hz: float | None
    reverb_s: float | None
    leaning_db: float | None
    plosives: int
    sides: str
    clipped: list[tuple[float, float]]
    drop_outs: list[tuple[float, float]]
    room_tone: tuple[float, float] | None
    levels: list[int] = Field(description="How many 20 ms of each whole dB from -90 to -1 dBFS.")
    spectrum_hz: list[float]
    floor_db: list[float]
    speech_db: list[float]
    findings: list[FindingOut]
