"""A data folder copied elsewhere, also while Pampa works in it, and taken in again."""

import json
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from pampa import __version__
from pampa.core.errors import PampaError, disk_errors
from pampa.core.faults import fault_point
from pampa.core.files.content import hash_file
from pampa.core.files.room import require_room
from pampa.core.files.whole import MAKING, sync_folder, whole
from pampa.store.database import copy_database, in_sentences
from pampa.store.media import original_in

DATABASE, NOTE = "pampa.db", "backup.json"
Told = Callable[[str, float], None]


@dataclass(frozen=True)
class Backup:
    """What a backup holds. missing : names of originals that were not there, or not as they had come in."""

    made: str
    version: str
    originals: int
    deliveries: int
    missing: list[str]


@dataclass(frozen=True)
class _File:
    """A file below a data folder. sha256 : what it must hold; empty where nobody knows."""

    place: Path
    name: str
    sha256: str


def back_up(data: Path, to: Path, told: Told = lambda doing, share: None) -> Backup:
    """Copy a data folder: the database as it stands, originals, and files that went out. Caches are made again.

    Into a folder with an earlier backup only what is new is copied, and nothing is deleted there. Until the last
    moment an earlier backup stays whole. Raises PampaError where `to` holds other things, or has no room.
    """
    if not (data / DATABASE).exists():
        raise PampaError(f"There is no Pampa data in {data}. Nothing was copied; name its folder with --data.")
    if to.exists() and any(to.iterdir()) and not (to / NOTE).exists() and not (to / f".{NOTE}").exists():
        raise PampaError(f"{to} holds other things. Nothing was copied; choose an empty folder.")
    with disk_errors():
        to.mkdir(mode=0o700, parents=True, exist_ok=True)
        to.chmod(0o700)
        (to / f".{NOTE}").touch()  # it is ours from here on, also if this is stopped
        fresh = to / f".{DATABASE}{MAKING}"
        copy_database(data / DATABASE, fresh)
        with closing(sqlite3.connect(fresh)) as copy:
            copy.execute("DELETE FROM uploads")  # their bytes are not taken along
            copy.commit()
        files = [*_files_of(fresh), *_laid_up_in(data)]
        lacking = [file for file in files if not (to / file.place).exists() and (data / file.place).exists()]
        require_room(to, sum((data / file.place).stat().st_size for file in lacking))
        missing = [file.name for file in files if not (to / file.place).exists() and not (data / file.place).exists()]
        for n, file in enumerate(lacking):
            told(f"Copying {file.name}", n / len(lacking))
            if not _copied(data / file.place, to / file.place, file.sha256):
                missing.append(file.name)
        fault_point("backup")
        fresh.replace(to / DATABASE)
        originals = sum(bool(file.sha256) for file in files)
        made = Backup(datetime.now(UTC).isoformat(timespec="seconds"), __version__, originals,
                      len(files) - originals, sorted(missing))  # fmt: skip
        with whole(to / NOTE) as making:
            making.write_text(json.dumps(asdict(made), indent=2) + "\n")
    return made


def restore(backup: Path, data: Path, told: Told = lambda doing, share: None) -> Backup:
    """Make a data folder of a backup. It appears whole or not at all, and never over another one.

    Originals are compared with their hashes on the way; what is damaged is told in `missing`, and the rest comes.
    """
    if not (backup / NOTE).exists() or not (backup / DATABASE).exists():
        raise PampaError(f"There is no whole backup in {backup}. Nothing was changed.")
    if data.exists() and any(data.iterdir()):
        raise PampaError(f"{data} is not empty. Nothing was changed; name a new folder with --data.")
    note = json.loads((backup / NOTE).read_text())
    making = data.with_name(f".{data.name}{MAKING}")
    shutil.rmtree(making, ignore_errors=True)
    try:
        with disk_errors():
            making.mkdir(mode=0o700, parents=True)
            copy_database(backup / DATABASE, making / DATABASE)
            files = [*_files_of(making / DATABASE), *_laid_up_in(backup)]
            require_room(making, sum(_size(backup / file.place) for file in files))
            missing = []
            for n, file in enumerate(files):
                told(f"Taking in {file.name}", n / len(files))
                if not _size(backup / file.place) or not _copied(backup / file.place, making / file.place, file.sha256):
                    missing.append(file.name)
            fault_point("restore")
            if data.exists():
                data.rmdir()
            making.rename(data)
            sync_folder(data.parent)
    finally:
        shutil.rmtree(making, ignore_errors=True)
    return Backup(**{**note, "missing": sorted(missing)})


def _files_of(database: Path) -> Iterator[_File]:
    """The files that a database speaks of, once each."""
    with in_sentences(database), closing(sqlite3.connect(database)) as copy:
        rows = copy.execute(
            "SELECT sha256, suffix, min(name) FROM recordings WHERE state != 'gone' GROUP BY sha256, suffix"
        )
        for sha256, suffix, name in rows:
            yield _File(original_in(Path(), sha256, suffix), name, sha256)
        for episode, file, name in copy.execute("SELECT episode_id, file, name FROM deliveries"):
            yield _File(Path("deliveries") / str(episode) / file, name, "")


def _laid_up_in(folder: Path) -> Iterator[_File]:
    """Archives of episodes: those that were freed are nowhere else."""
    for path in sorted((folder / "laid-up").glob("*.zip")):
        yield _File(path.relative_to(folder), path.name, "")


def _copied(path: Path, to: Path, sha256: str) -> bool:
    """Copy a file, if it holds what it must; returns whether it does."""
    to.parent.mkdir(parents=True, exist_ok=True)
    with whole(to) as making:
        shutil.copyfile(path, making)
        right = not sha256 or hash_file(making) == sha256
        if right:
            return True
    to.unlink(missing_ok=True)
    return False


def _size(path: Path) -> int:
    return path.stat().st_size if path.exists() else 0
