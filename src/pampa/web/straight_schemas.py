"""What goes over the wire of going straight through: what is wanted, what would be done, what was done."""

from pydantic import BaseModel, ConfigDict, Field

from pampa.core.straight.steps import Name, Wants
from pampa.studio.straight_through import Plan, Report
from pampa.web.schemas import Told


class WantsSchema(Told):
    """ticked : the steps that are done. longer_s, keep_s : of silences. sure : of fillers and talk around it."""

    model_config = ConfigDict(from_attributes=True, extra="forbid")
    ticked: list[Name] = Field(max_length=20)
    longer_s: float = Field(1.2, ge=0.3, le=60)
    keep_s: float = Field(0.6, ge=0.1, le=10)
    sure: float = Field(0.9, ge=0.5, le=1)

    def wants(self) -> Wants:
        return Wants(tuple(dict.fromkeys(self.ticked)), self.longer_s, min(self.keep_s, self.longer_s), self.sure)


class PlannedOut(BaseModel):
    name: Name
    title: str
    told: list[str]
    possible: bool
    needs: list[str]


class PlanOut(BaseModel):
    """What would be done. waits : something is still being measured; figures come with the end of that."""

    wants: WantsSchema
    steps: list[PlannedOut]
    troubles: list[str]
    waits: bool

    @classmethod
    def of(cls, plan: Plan) -> "PlanOut":
        steps = [
            PlannedOut(name=each.step.name, title=each.step.title, told=list(each.told), possible=each.possible,
                       needs=list(each.needs))
            for each in plan.steps
        ]  # fmt: skip
        return cls(
            wants=WantsSchema.model_validate(plan.wants), steps=steps, troubles=list(plan.troubles), waits=plan.waits
        )  # fmt: skip


class DoneOut(BaseModel):
    """A step that was done. back : it can be taken back by itself."""

    name: Name
    told: list[str]
    needs: list[str]
    back: bool


class ReportOut(BaseModel):
    steps: list[DoneOut]
    files: list[int]
    needs: list[str]
    revision: int
    version: int | None
    ended: bool

    @classmethod
    def of(cls, report: Report) -> "ReportOut":
        steps = [
            DoneOut(name=done.name, told=list(done.told), needs=list(done.needs), back=bool(_undo(done.undo)))
            for done in report.steps
        ]  # fmt: skip
        return cls(steps=steps, files=list(report.files), needs=list(report.needs), revision=report.revision,
                   version=report.version, ended=report.ended)  # fmt: skip


class StraightOut(BaseModel):
    """report : of the last time; null where nobody has gone straight through yet."""

    plan: PlanOut
    report: ReportOut | None

    @classmethod
    def of(cls, plan: Plan, report: Report | None) -> "StraightOut":
        return cls(plan=PlanOut.of(plan), report=ReportOut.of(report) if report else None)


def _undo(undo: dict[str, list[object]] | None) -> bool:
    return any((undo or {}).values())
