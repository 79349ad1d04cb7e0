"""`pampa episode`: straight through from recordings to files, with a plan first, and what needs a person last."""

import json
import shutil
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from rich.console import Console

from pampa.cli.bar import Told, bar
from pampa.core.errors import EditRefused, NotFound, PampaError, SignalError
from pampa.core.straight.steps import NAMES, Wants
from pampa.studio.sending import plain_name
from pampa.studio.settings import Settings
from pampa.studio.straight_through import Plan, Report
from pampa.studio.studio import Studio

console = Console(highlight=False)
EVERY_S = 0.1
ROLES = ("person", "reference", "spot", "music", "effects", "room tone")
HERE = {"ticked", "longer_s", "keep_s", "sure", "title", "number", "people", "roles"}


@dataclass(frozen=True)
class Asked:
    """What a plan file asks for. people, roles : by the names of files."""

    wants: dict[str, Any]
    title: str
    number: int | None
    people: dict[str, str]
    roles: dict[str, str]


def make_episode(files: Sequence[Path], show: str, out: Path, plan: Path | None, *, dry: bool, as_json: bool,
                 standard: Path) -> int:  # fmt: skip
    """Make an episode; 0, or 3 if something needs a person, which is told. standard : the usual data folder."""
    asked = _asked(plan)
    for file in files:
        if not file.is_file():
            raise SignalError(f"There is no file {file}. Nothing was made.")
    if not dry:
        out.mkdir(parents=True, exist_ok=True)
    title = asked.title or out.resolve().name.replace("-", " ").replace("_", " ").strip().title() or "Episode"
    with _opened(show, standard, title) as (studio, show_id), bar("Bringing them in", quiet=as_json) as told:
        episode = studio.shows.make_episode(show_id, title, asked.number).id
        try:
            result = _through(studio, show_id, episode, files, asked, told, dry=dry)
        finally:
            if dry:
                studio.shows.change_episode(episode, archived=True)
                studio.space.delete_episode(episode)
        planned, report = result
        made = [] if report is None else _taken(studio, report, out, "" if show else f"{plain_name(title)}-1-")
    needs = list(planned.troubles) if report is None else list(report.needs)
    needs += [line for step in planned.steps for line in step.needs if line not in needs]
    if as_json:
        print(json.dumps({"plan": _plan(planned), "report": _report(report), "files": made, "needs": needs}))
    else:
        _print(planned, report, made, needs)
    return 3 if needs else 0


def _through(studio: Studio, show_id: int, episode: int, files: Sequence[Path], asked: Asked, told: Told, *, dry: bool
             ) -> tuple[Plan, Report | None]:  # fmt: skip
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


def _taken(studio: Studio, report: Report, out: Path, prefix: str) -> list[dict[str, Any]]:
    """The files, copied into a folder, each with its sheet. prefix : of their names, left out."""
    made = []
    for number in report.files:
        path, name = studio.sending.file(number)
        name = name.removeprefix(prefix)
        shutil.copyfile(path, out / name)
        made.append({"file": str(out / name), "sheet": studio.sending.delivery(number).sheet})
    return made


def _wait(studio: Studio, episode: int, told: Told, low: float, high: float) -> None:
    while jobs := studio.jobs.open_jobs(episode):
        running = max(jobs, key=lambda job: job["share"])
        told(running["doing"] or running["label"], low + (high - low) * running["share"])
        time.sleep(EVERY_S)


def _check(studio: Studio, job: int) -> None:
    told = studio.jobs.told(job)
    if told["state"] == "failed":
        raise PampaError(told["error"])


@contextmanager
def _opened(show: str, standard: Path, title: str) -> Iterator[tuple[Studio, int]]:
    """The studio and show that are meant: a show by its name, the one in a data folder, or one for this time only."""
    with TemporaryDirectory(prefix="pampa-") as passing:
        folder = Path(show)
        data = Path(passing) if not show else folder if folder.is_dir() else standard
        studio = Studio(Settings(data=data))
        try:
            shows = studio.shows.all_shows()
            if not show:
                yield studio, studio.shows.make_show(title).id
            elif folder.is_dir():
                if len(shows) > 1:
                    names = ", ".join(each.name for each in shows)
                    raise EditRefused(f"{folder} holds several shows: {names}. Name one. Nothing was made.")
                yield studio, shows[0].id if shows else studio.shows.make_show(folder.resolve().name).id
            else:
                found = next((each for each in shows if each.name.casefold() == show.casefold()), None)
                if found is None:
                    raise NotFound(f"There is no show called {show} in {data}, and no folder {show}. Nothing was made.")
                yield studio, found.id
        finally:
            studio.close()


def _asked(plan: Path | None) -> Asked:
    """What stands in a plan file. Raises SignalError for what is none, and says where."""
    if plan is None:
        return Asked({}, "", None, {}, {})
    try:
        told = json.loads(plan.read_text("utf-8"))
    except OSError as error:
        raise SignalError(f"{plan} could not be read: {error.strerror}. Nothing was made.") from error
    except ValueError as error:
        line = getattr(error, "lineno", 1)
        raise SignalError(f"{plan} is no JSON (line {line}). Nothing was made.") from error
    if not isinstance(told, dict) or set(told) - HERE:
        strange = ", ".join(sorted(set(told) - HERE)) if isinstance(told, dict) else "what it holds"
        raise SignalError(f"{plan}: {strange} is not known. It may hold {', '.join(sorted(HERE))}. Nothing was made.")
    ticked = told.get("ticked")
    if ticked is not None and (not isinstance(ticked, list) or not set(ticked) <= set(NAMES)):
        raise SignalError(f"{plan}: ticked is a list of {', '.join(NAMES)}. Nothing was made.")
    for name, low, high in (("longer_s", 0.3, 60), ("keep_s", 0.1, 10), ("sure", 0.5, 1)):
        value = told.get(name, low)
        if not isinstance(value, (int, float)) or not low <= value <= high:
            raise SignalError(f"{plan}: {name} lies from {low:g} to {high:g}. Nothing was made.")
    wants = {name: tuple(told[name]) if name == "ticked" else told[name]
             for name in ("ticked", "longer_s", "keep_s", "sure") if name in told}  # fmt: skip
    people, roles = told.get("people", {}), told.get("roles", {})
    if not isinstance(people, dict) or not isinstance(roles, dict):
        raise SignalError(f"{plan}: people and roles go by the names of files. Nothing was made.")
    if not set(roles.values()) <= set(ROLES):
        raise SignalError(f"{plan}: a role is one of {', '.join(ROLES)}. Nothing was made.")
    return Asked(wants, str(told.get("title", "")), told.get("number"), people, roles)


def _plan(planned: Plan) -> dict[str, Any]:
    steps = [
        {"name": each.step.name, "title": each.step.title, "done": each.step.name in planned.wants.ticked,
         "told": list(each.told)}
        for each in planned.steps
    ]  # fmt: skip
    return {**asdict(planned.wants), "steps": steps}


def _report(report: Report | None) -> dict[str, Any] | None:
    if report is None:
        return None
    return {"steps": [{"name": done.name, "told": list(done.told)} for done in report.steps], "ended": report.ended}


def _print(planned: Plan, report: Report | None, made: list[dict[str, Any]], needs: list[str]) -> None:
    done = {each.name: each.told for each in report.steps} if report else {}
    for each in planned.steps:
        ticked = each.step.name in planned.wants.ticked
        lines = done.get(each.step.name, each.told) if ticked else each.told
        mark = "+" if ticked else "–"
        console.print(f"{mark} {each.step.title}: {' '.join(lines) or 'nothing to do.'}", markup=False)
    for file in made:
        console.print(file["file"], markup=False)
    for line in needs:
        console.print(f"Look at this: {line}", markup=False)
