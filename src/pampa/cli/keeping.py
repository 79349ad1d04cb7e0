"""The commands `backup`, `restore` and `doctor`: keeping what is in a data folder."""

import json
import os
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import TypeVar

from rich.console import Console

from pampa.cli.bar import Told, bar
from pampa.core.errors import PampaError
from pampa.studio.backups import Backup, back_up, restore
from pampa.studio.doctor import examine_data
from pampa.studio.recordings import GONE
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

console = Console(highlight=False)
Result = TypeVar("Result")


def back_up_folder(data: Path, to: Path, *, as_json: bool) -> int:
    """Back a data folder up; 0, or 3 if originals were missing or damaged, which are told."""
    return _kept(f"The backup in {to} is whole", lambda told: back_up(data, to, told), as_json=as_json)


def restore_folder(backup: Path, data: Path, *, as_json: bool) -> int:
    """Take a backup in; 0, or 3 if something in it was missing or damaged."""
    return _kept(f"{data} is as it was backed up", lambda told: restore(backup, data, told), as_json=as_json)


def _kept(sentence: str, work: Callable[[Told], Backup], *, as_json: bool) -> int:
    kept = _with_bar(work, quiet=as_json)
    if as_json:
        print(json.dumps(asdict(kept)))
    else:
        console.print(f"{sentence}: {kept.originals} originals, {kept.deliveries} files that went out.")
        for name in kept.missing:
            console.print(f"Missing or damaged: {name}")
    return 3 if kept.missing else 0


def lay_up_episode(data: Path, episode: int, to: Path, *, as_json: bool) -> int:
    """Lay an episode up into a folder; 0, or 3 if originals were missing, which are told."""
    if not to.is_dir():
        raise PampaError(f"There is no folder {to}. Nothing was written.")
    with _opened(data) as studio:
        before = {each.name for each in studio.laying_up.all()}
        studio.laying_up.begin(episode, free=False)
        studio.jobs.wait()
        made = next((each for each in studio.laying_up.all() if each.name not in before), None)
        if made is None:
            raise PampaError(f"Episode {episode} could not be laid up. Nothing was changed; look at it in Pampa.")
        shutil.move(studio.laying_up.path(made.name), to / made.name)
    if as_json:
        print(json.dumps({**asdict(made), "file": str(to / made.name)}))
    else:
        console.print(f"{made.title} is laid up in {to / made.name}: {made.size / 1e6:,.0f} MB.")
        for name in made.missing:
            console.print(f"Missing: {name}")
    return 3 if made.missing else 0


def bring_back_episode(data: Path, archive: Path, *, as_json: bool) -> int:
    """Take a laid-up episode in; 0, or 3 if something was missing in it, which is told."""
    if not archive.is_file():
        raise PampaError(f"There is no file {archive}. Nothing was changed.")
    with _opened(data) as studio:
        episode = studio.bringing_back.bring_back(archive)
        missing = [row.name for row in studio.recordings.of_episode(episode.id, gone=True) if row.state == GONE]
    if as_json:
        print(json.dumps({"episode": episode.id, "title": episode.title, "missing": missing}))
    else:
        console.print(f"{episode.title} is back as episode {episode.id} of this data folder.")
        for name in missing:
            console.print(f"Missing: {name}")
    return 3 if missing else 0


@contextmanager
def _opened(data: Path) -> Iterator[Studio]:
    studio = Studio(Settings(data=data))
    try:
        yield studio
    finally:
        studio.close()


def examine_folder(data: Path, *, as_json: bool) -> int:
    """Look a data folder over; 0 if all is well, 3 if something needs somebody."""
    found = _with_bar(lambda told: examine_data(data, told), quiet=as_json)
    if as_json:
        print(json.dumps({"well": found.well, **asdict(found)}))
        return 0 if found.well else 3
    for sentence in found.wrong:
        console.print(f"[bold]![/bold] {sentence}")
    for sentence in found.noted:
        console.print(f"  {sentence}")
    sizes = ", ".join(f"{name} {size / 1e6:,.0f} MB" for name, size in found.figures.items())
    console.print(f"  {sizes}.")
    console.print("All is well." if found.well else "Something needs you.")
    return 0 if found.well else 3


def _with_bar(work: Callable[[Told], Result], *, quiet: bool) -> Result:
    os.umask(0o077)
    with bar(quiet=quiet) as told:
        return work(told)
