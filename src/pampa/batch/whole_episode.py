"""One raw episode straight through: recordings in, finished files out, in a studio that somebody opened."""

import shutil
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from pampa.core.errors import PampaError
from pampa.core.straight.steps import Wants
from pampa.studio.straight_through import Plan, Report
from pampa.studio.studio import Studio

EVERY_S = 0.1
Told = Callable[[str, float], None]


@dataclass(frozen=True)
class Asked:
    """What a plan file asks for. people, roles : by the names of files."""

    wants: dict[str, Any] = field(default_factory=dict)
    title: str = ""
    number: int | None = None
    people: dict[str, str] = field(default_factory=dict)
    roles: dict[str, str] = field(default_factory=dict)


def title_for(asked: Asked, folder: Path) -> str:
    """What an episode is called: as asked, or after a folder."""
    return asked.title or folder.resolve().name.replace("-", " ").replace("_", " ").strip().title() or "Episode"


def go_through(studio: Studio, show_id: int, episode: int, files: Sequence[Path], asked: Asked, told: Told, *, dry: bool
               ) -> tuple[Plan, Report | None]:  # fmt: skip
    """Bring files in, plan, and unless `dry` do it."""
    for file in files:
        details = {"person": asked.people.get(file.name), "role": asked.roles.get(file.name)}
        studio.recordings.add_file(episode, file, **{name: value for name, value in details.items() if value})
    _wait(studio, episode, told, 0.0, 0.3)
    job = studio.straight_through.look_ahead(episode)
    _wait(studio, episode, told, 0.3, 0.5)
    _check(studio, job)
    usual = studio.straight_through.wants(show_id)
    wants = Wants(**{**asdict(usual), **asked.wants})
    planned = studio.straight_through.plan(episode, wants)
    if dry:
        return planned, None
    job = studio.straight_through.go(episode, wants)
    _wait(studio, episode, told, 0.5, 1.0)
    _check(studio, job)
    return planned, studio.straight_through.report(episode)


def taken(studio: Studio, report: Report, out: Path, prefix: str) -> list[dict[str, Any]]:
    """The files, copied into a folder, each with its sheet. prefix : of their names, left out."""
    made = []
    for number in report.files:
        path, name = studio.sending.file(number)
        name = name.removeprefix(prefix)
        shutil.copyfile(path, out / name)
        made.append({"file": str(out / name), "sheet": studio.sending.delivery(number).sheet})
    return made


def needs_of(planned: Plan, report: Report | None) -> list[str]:
    """What needs a person, in sentences."""
    needs = list(planned.troubles) if report is None else list(report.needs)
    return needs + [line for step in planned.steps for line in step.needs if line not in needs]


def _wait(studio: Studio, episode: int, told: Told, low: float, high: float) -> None:
    while jobs := studio.jobs.open_jobs(episode):
        running = max(jobs, key=lambda job: job["share"])
        told(running["doing"] or running["label"], low + (high - low) * running["share"])
        time.sleep(EVERY_S)


def _check(studio: Studio, job: int) -> None:
    told = studio.jobs.told(job)
    if told["state"] == "failed":
        raise PampaError(told["error"])
