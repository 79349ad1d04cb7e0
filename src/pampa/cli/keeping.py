"""The commands `backup`, `restore` and `doctor`: keeping what is in a data folder."""

import json
import os
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import TypeVar

from rich.console import Console

from pampa.cli.bar import Told, bar
from pampa.studio.backups import Backup, back_up, restore
from pampa.studio.doctor import examine_data

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
