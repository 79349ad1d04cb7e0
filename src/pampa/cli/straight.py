"""`pampa episode`: straight through from recordings to files, with a plan first, and what needs a person last."""

import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from rich.console import Console

from pampa.batch.asked import read_asked
from pampa.batch.whole_episode import go_through, needs_of, taken, title_for
from pampa.cli.bar import bar
from pampa.core.errors import EditRefused, NotFound, SignalError
from pampa.studio.sending import plain_name
from pampa.studio.settings import Settings
from pampa.studio.straight_through import Plan, Report
from pampa.studio.studio import Studio

console = Console(highlight=False)


def make_episode(files: Sequence[Path], show: str, out: Path, plan: Path | None, *, dry: bool, as_json: bool,
                 standard: Path) -> int:  # fmt: skip
    """Make an episode; 0, or 3 if something needs a person, which is told. standard : the usual data folder."""
    asked = read_asked(plan)
    for file in files:
        if not file.is_file():
            raise SignalError(f"There is no file {file}. Nothing was made.")
    if not dry:
        out.mkdir(parents=True, exist_ok=True)
    title = title_for(asked, out)
    with _opened(show, standard, title) as (studio, show_id), bar("Bringing them in", quiet=as_json) as told:
        episode = studio.shows.make_episode(show_id, title, asked.number).id
        try:
            result = go_through(studio, show_id, episode, files, asked, told, dry=dry)
        finally:
            if dry:
                studio.shows.change_episode(episode, archived=True)
                studio.space.delete_episode(episode)
        planned, report = result
        made = [] if report is None else taken(studio, report, out, "" if show else f"{plain_name(title)}-1-")
    needs = needs_of(planned, report)
    if as_json:
        print(json.dumps({"plan": _plan(planned), "report": _report(report), "files": made, "needs": needs}))
    else:
        _print(planned, report, made, needs)
    return 3 if needs else 0


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
