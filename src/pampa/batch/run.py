"""A batch from its plan to its report: what is finished stays finished, whatever stops it."""

import fcntl
import hashlib
import json
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from pampa.batch.place import Input, Place, PlaceGone
from pampa.batch.plan import Plan, Work
from pampa.batch.report import write_report
from pampa.batch.task import DONE, FAILED, GONE, Outcome, Task, carry_out, outcome_of
from pampa.core.errors import PampaError, disk_errors
from pampa.core.executor import Executor
from pampa.core.files.content import hash_file

INSIDE = ".batch"
"""In the folder where everything goes: what is under way, and the ledger."""
Told = Callable[[str, float], None]


@dataclass(frozen=True)
class Named:
    """What is to be done, before anything is read. name : of what it makes, without ending."""

    name: str
    files: tuple[Path, ...]
    work: Work


def run(plan: Plan, executor: Executor, *, elsewhere: bool, told: Told = lambda doing, share: None) -> list[Outcome]:
    """Do all of a plan; the outcomes in its order. elsewhere : the executor is not on this machine.

    Raises PampaError where nothing can be done at all, or the place that all share is gone; what was finished stays.
    """
    if elsewhere and not plan.shared:
        raise PampaError(
            'Workers elsewhere need a place where the data lies for all: shared = "FOLDER" in the plan, before the '
            "first [[work]]. Nothing was made."
        )
    wanted = named(plan)
    with disk_errors(), _alone(plan.out):
        place = _place(plan)
        ledger = Ledger(plan.out / INSIDE / "ledger.jsonl")
        outcomes: list[Outcome] = []
        try:
            for outcome in _outcomes(plan, wanted, place, ledger, executor):
                outcomes.append(outcome)
                told(outcome["name"], len(outcomes) / len(wanted))
        finally:
            write_report(plan.out, outcomes, len(wanted))
        if all(outcome["state"] == DONE for outcome in outcomes):
            place.clear()
    return outcomes


def _place(plan: Plan) -> Place:
    """A place of its own for each folder of results: what lies beside it, and other batches, stay as they are."""
    if not plan.shared:
        return Place(str(plan.out / INSIDE), shared=False)
    own = hashlib.sha256(str(plan.out.resolve()).encode()).hexdigest()[:12]
    return Place(f"{plan.shared.rstrip('/')}/pampa-batch-{own}", shared=True)


def named(plan: Plan) -> list[Named]:
    """All that a plan asks for, each with a name of its own."""
    found: list[Named] = []
    taken: set[str] = set()
    for work in plan.work:
        for files in work.inputs:
            whole = work.steps == ("episode",)
            path = files[0].parent if whole else files[0].with_suffix("")
            inside = path.is_relative_to(plan.folder) and not path.is_relative_to(plan.out)
            plain = str(path.relative_to(plan.folder)) if inside else path.name
            name, n = plain, 2
            while name in taken:
                name, n = f"{plain}-{n}", n + 1
            taken.add(name)
            found.append(Named(name, files, work))
    return found


class Ledger:
    """What was finished, a line of JSON for each; one that was being written when a run was stopped is left out."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self.known: dict[str, Outcome] = {}
        try:
            lines = path.read_text("utf-8").splitlines()
        except FileNotFoundError:
            lines = []
        for line in lines:
            try:
                outcome = json.loads(line)
                self.known[outcome["key"]] = outcome
            except (ValueError, TypeError, KeyError):
                continue

    def add(self, outcome: Outcome) -> None:
        self.known[outcome["key"]] = outcome
        with self._path.open("a", encoding="utf-8") as file:
            file.write("\n" if file.tell() and not self._ends_a_line() else "")
            file.write(json.dumps(outcome) + "\n")
            file.flush()
            os.fsync(file.fileno())

    def _ends_a_line(self) -> bool:
        with self._path.open("rb") as file:
            file.seek(-1, os.SEEK_END)
            return file.read(1) == b"\n"


def _outcomes(plan: Plan, wanted: list[Named], place: Place, ledger: Ledger, executor: Executor) -> Iterator[Outcome]:
    """Outcomes in order: of what is known at once, of the rest as they come."""
    ready: list[Outcome | None] = []

    def tasks() -> Iterator[Task]:
        """What is to be done, hashed and offered only as it is asked for."""
        for each in wanted:
            try:
                inputs = tuple(Input(file.name, str(file), hash_file(file)) for file in each.files)
                task = Task(each.name, inputs, each.work.steps, each.work.settings)
                before = ledger.known.get(task.key)
                if before is not None and _is_there(plan.out, before):
                    ready.append(before)
                    continue
                for file, one in zip(each.files, inputs, strict=True):
                    place.offer(file, one.content)
            except OSError as error:
                task = Task(each.name, tuple(Input(file.name, str(file), "") for file in each.files), (), {})
                told = f"{each.files[0]} could not be read: {error.strerror}."
                ready.append(outcome_of(task, FAILED, error=told))
                continue
            ready.append(None)
            yield task

    given = 0
    for outcome in executor.map(partial(carry_out, place), tasks()):
        while ready[given] is not None:
            yield ready[given]  # type: ignore[misc]
            given += 1
        given += 1
        if outcome["state"] == GONE:
            raise PlaceGone(place.address, "a worker cannot reach it")
        if outcome["state"] == DONE:
            for file in outcome["files"]:
                place.take(outcome["key"], file["name"], _target(plan.out, outcome, file["name"]))
            ledger.add(outcome)
            place.forget(outcome["key"])
        yield outcome
    yield from (outcome for outcome in ready[given:] if outcome is not None)


def _target(out: Path, outcome: Outcome, file: str) -> Path:
    """Where a file goes: beside the others under the name of its input; those of an episode in a folder of it."""
    name = Path(outcome["name"])
    alone = len(outcome["files"]) == 1 and Path(file).stem == name.name
    return out / name.parent / file if alone else out / name / file


def _is_there(out: Path, outcome: Outcome) -> bool:
    try:
        return all(
            _target(out, outcome, file["name"]).stat().st_size == file["bytes"] for file in outcome["files"]
        )  # fmt: skip
    except OSError:
        return False


@contextmanager
def _alone(out: Path) -> Iterator[None]:
    """Hold the folder where everything goes, so that two batches do not work in it at once."""
    (out / INSIDE).mkdir(parents=True, exist_ok=True)
    with (out / INSIDE / "in-use").open("w") as hold:
        try:
            fcntl.flock(hold, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise PampaError(
                f"Another batch works in {out} already. Nothing was changed; wait for it, or name another out folder."
            ) from error
        yield
