"""What goes over the wire about Mend."""

from pydantic import BaseModel, Field

from pampa.studio.mending import Report
from pampa.web.schemas import AmountsBody, Told


class DeedOut(Told):
    """A process that found something to do."""

    process: str
    words: str = Field(examples=["hum at 49.98 Hz, 6 harmonics subtracted"])


class MarkOut(Told):
    """Where it did, in frames of the recording."""

    process: str
    start: int
    stop: int


class LastTimeOut(Told):
    """How the same person was mended in the latest other episode of the show."""

    episode: str
    amounts: AmountsBody


class DoubtOut(Told):
    """What is wrong with the place that noise is learned from."""

    words: str = Field(examples=["There is speech in 40 % of the place that noise is learned from."])
    better: tuple[float, float] | None = Field(description="A place without speech, in seconds.")


class CostOut(Told):
    """What mending won and what it cost."""

    floor_before_dbfs: float | None = Field(description="Level where nobody speaks, as recorded.")
    floor_after_dbfs: float | None
    speech_change_db: float = Field(description="By how much speech became louder; less than 0: softer.")


class ReportOut(BaseModel):
    """How a recording stands in Mend."""

    amounts: AmountsBody
    proposed: AmountsBody = Field(description="What its check-up proposes.")
    deeds: list[DeedOut]
    marks: list[MarkOut]
    last: LastTimeOut | None
    doubt: DoubtOut | None
    cost: CostOut | None
    noise_db: list[float] = Field(
        description="What is taken for noise, in the bands of the check-up; empty if unknown."
    )
    waits: bool = Field(description="Something is still being measured; an event `mended` follows.")

    @classmethod
    def of(cls, report: Report) -> "ReportOut":
        return cls(
            amounts=AmountsBody.model_validate(report.amounts), proposed=AmountsBody.model_validate(report.proposed),
            deeds=[DeedOut.model_validate(deed) for deed in report.deeds],
            marks=[MarkOut.model_validate(mark) for mark in report.marks], waits=report.waits,
            noise_db=list(report.noise_db),
            doubt=None if report.doubt is None else DoubtOut.model_validate(report.doubt),
            cost=None if report.cost is None else CostOut.model_validate(report.cost),
            last=None if report.last is None else LastTimeOut.model_validate(report.last),
        )  # fmt: skip
