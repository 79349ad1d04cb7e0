"""What goes over the wire when an episode goes out: wanted files, sheets, the last look, words for listeners."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from pampa.core.deliver.formats import Kind
from pampa.core.deliver.notes import MOST
from pampa.studio.about import Seen, ShowWords
from pampa.studio.comparing import Compared
from pampa.studio.last_look import Looked
from pampa.studio.sending import Delivery, Wanted
from pampa.web.schemas import Moment, Told

Sha = Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")]
Link = Annotated[str, Field(max_length=500)]
Notes = Annotated[str, Field(max_length=MOST)]


class WantedFile(BaseModel):
    """One file that is wanted: where it goes, and what it is."""

    name: str = Field("", max_length=120, examples=["Podcast, stereo"])
    kind: Kind = "mp3"
    bits: Literal[16, 24, 32] = 24
    kbit: int | None = Field(None, ge=8, le=320, examples=[160])
    quality: int | None = Field(None, ge=0, le=10, description="Of Vorbis, or of MP3 at a variable bit rate.")
    rate: Literal[44100, 48000] = 48000
    broadcast: bool = Field(False, description="A WAV file says its loudness itself.")
    target_lufs: float = Field(-16.0, ge=-40, le=-5)
    ceiling_dbtp: float = Field(-1.0, ge=-9, le=0)
    mono: bool = False
    ticked: bool = Field(True, description="Made with the others of its set.")

    def wanted(self) -> Wanted:
        return Wanted.of(self.model_dump())


class NewDeliveries(BaseModel):
    files: Annotated[list[WantedFile], Field(min_length=1, max_length=20)]


class DeliveryOut(Told):
    id: int
    name: str
    revision: int
    created: Moment
    sheet: dict[str, Any]

    @classmethod
    def of(cls, delivery: Delivery) -> "DeliveryOut":
        return cls.model_validate(delivery)


class NoteOut(Told):
    """One thing that was found: a sentence, its figure, where it is in seconds, and the stage where it is mended."""

    told: str
    figure: str
    at_s: float | None
    until_s: float | None
    stage: str | None


class FoundOut(Told):
    name: str
    title: str
    notes: list[NoteOut]


class ReachedOut(Told):
    name: str
    gain_db: float
    peak_dbtp: float
    loss_lu: float
    shortfall: str | None


class LookedOut(BaseModel):
    """A last look. current : whether the episode has not been changed since. waits : it is being looked at."""

    revision: int | None
    current: bool
    waits: bool
    figures: list[tuple[str, str]]
    reached: list[ReachedOut]
    found: list[FoundOut]
    passed: list[str]

    @classmethod
    def of(cls, looked: Looked, revision: int) -> "LookedOut":
        return cls(
            revision=looked.revision, current=looked.revision == revision, waits=looked.waits,
            figures=list(looked.figures), reached=[ReachedOut.model_validate(each) for each in looked.reached],
            found=[FoundOut.model_validate(each) for each in looked.found], passed=list(looked.passed),
        )  # fmt: skip


class WordsChange(BaseModel):
    """What to change of what is written about an episode; what is left out stays."""

    title: str | None = Field(None, max_length=300)
    number: int | None = Field(None, ge=0, le=100_000)
    season: int | None = Field(None, ge=0, le=10_000)
    date: str | None = Field(None, max_length=10, pattern=r"^(\d{4}(-\d{2}(-\d{2})?)?)?$", examples=["2026-11-23"])
    link: Link | None = None
    notes: Notes | None = Field(None, description="Markdown; it takes the place of what the show's pattern gives.")
    pattern_again: bool = Field(False, description="The notes are what the show's pattern gives again.")
    artwork: Sha | None = None
    kind: Literal["full", "trailer", "bonus"] | None = None
    explicit: bool | None = None


class ShowWordsChange(BaseModel):
    """What to change of what is written about a show, in part for its feed; what is left out stays."""

    notes_pattern: Notes | None = Field(None, description="Markdown with fields such as {title} and {chapters}.")
    artwork: Sha | None = None
    description: Annotated[str, Field(max_length=4000)] | None = None
    link: Link | None = None
    language: Annotated[str, Field(max_length=20)] | None = None
    category: Annotated[str, Field(max_length=60)] | None = None
    email: Annotated[str, Field(max_length=200)] | None = None
    copyright: Annotated[str, Field(max_length=200)] | None = None
    kind: Literal["episodic", "serial"] | None = None
    explicit: bool | None = None
    wanted: list[WantedFile] | None = Field(None, max_length=20)


class WordsOut(Told):
    season: int | None
    date: str
    link: str
    notes: str | None
    artwork: str
    kind: str
    explicit: bool


class ShowWordsOut(Told):
    notes_pattern: str
    artwork: str
    description: str
    link: str
    language: str
    category: str
    email: str
    copyright: str
    kind: str
    explicit: bool
    wanted: list[WantedFile]

    @classmethod
    def of(cls, words: ShowWords) -> "ShowWordsOut":
        return cls.model_validate(words)


class ChapterOut(Told):
    start_s: float
    end_s: float
    title: str
    link: str
    picture_url: str


class SeenOut(BaseModel):
    """An episode as listeners see it. html : its notes, harmless on a page; text : as players show them."""

    title: str
    number: int | None
    words: WordsOut
    markdown: str
    html: str
    text: str
    chapters: list[ChapterOut]
    artwork: str
    artwork_findings: list[str]

    @classmethod
    def of(cls, title: str, number: int | None, seen: Seen) -> "SeenOut":
        return cls(
            title=title, number=number, words=WordsOut.model_validate(seen.words), markdown=seen.markdown,
            html=seen.html, text=seen.text, chapters=[ChapterOut.model_validate(each) for each in seen.chapters],
            artwork=seen.artwork, artwork_findings=seen.artwork_findings,
        )  # fmt: skip


class ArtworkOut(BaseModel):
    sha256: str
    findings: list[str]


class SideOut(BaseModel):
    """Something that can be compared: `now`, `file:5` or `version:3`."""

    of: str
    name: str


class NewComparison(BaseModel):
    here: str = Field(max_length=40, examples=["file:5"])
    there: str = Field(max_length=40, examples=["now"])


class ComparedSideOut(Told):
    of: str
    name: str
    seconds: float
    lufs: float | None
    gain_db: float


class StretchOut(Told):
    """What both have: `length_s` seconds from `here_s` of the one and `there_s` of the other on."""

    here_s: float
    there_s: float
    length_s: float


class DifferenceOut(Told):
    told: str
    here_s: float | None
    there_s: float | None


class ComparedOut(BaseModel):
    """A comparison; `here` is null until there is one. report : all of it as text."""

    waits: bool
    revision: int | None
    here: ComparedSideOut | None
    there: ComparedSideOut | None
    stretches: list[StretchOut]
    differences: list[DifferenceOut]
    report: str

    @classmethod
    def of(cls, compared: Compared | None, waits: bool) -> "ComparedOut":
        if compared is None:
            return cls(waits=waits, revision=None, here=None, there=None, stretches=[], differences=[], report="")
        return cls(
            waits=waits, revision=compared.revision, here=ComparedSideOut.model_validate(compared.here),
            there=ComparedSideOut.model_validate(compared.there), report=compared.report,
            stretches=[StretchOut.model_validate(each) for each in compared.stretches],
            differences=[DifferenceOut.model_validate(each) for each in compared.differences],
        )  # fmt: skip
