"""Looking a data folder over, in plain words: is everything there, is it whole, and what lies about."""

import platform
import sqlite3
import stat
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

import soundfile

from pampa import __version__
from pampa.core.errors import PampaError
from pampa.core.files.content import hash_file
from pampa.core.files.room import RESERVE, bytes_under, free_bytes
from pampa.core.files.whole import MAKING
from pampa.store.database import in_sentences, known_states
from pampa.store.media import FOLDERS, original_in
from pampa.studio.backups import DATABASE

Told = Callable[[str, float], None]


@dataclass
class Diagnosis:
    """wrong : what needs somebody. noted : what is good to know. figures : sizes in bytes, by folder."""

    wrong: list[str] = field(default_factory=list)
    noted: list[str] = field(default_factory=list)
    figures: dict[str, int] = field(default_factory=dict)

    @property
    def well(self) -> bool:
        return not self.wrong


def examine_data(data: Path, told: Told = lambda doing, share: None) -> Diagnosis:
    """Look a data folder over without changing anything, also while Pampa works in it. Reads every original."""
    if not (data / DATABASE).exists():
        raise PampaError(f"There is no Pampa data in {data}. Name its folder with --data.")
    found = Diagnosis()
    _versions(found)
    told("Looking at the disk", 0.0)
    _disk(data, found)
    told("Looking at the database", 0.0)
    try:
        with in_sentences(data / DATABASE), closing(sqlite3.connect(data / DATABASE, timeout=30)) as database:
            _database(database, found)
            _originals(database, data, found, told)
            _deliveries(database, data, found)
            _orphans(database, data, found)
    except PampaError as error:
        found.wrong.append(str(error))
    return found


def _versions(found: Diagnosis) -> None:
    found.noted.append(
        f"Pampa {__version__}, Python {platform.python_version()}, SQLite {sqlite3.sqlite_version}, "
        f"libsndfile {soundfile.__libsndfile_version__}, {platform.system()} {platform.release()}."
    )


def _disk(data: Path, found: Diagnosis) -> None:
    found.figures = {folder: bytes_under(data / folder) for folder in FOLDERS} | {"free": free_bytes(data)}
    if found.figures["free"] < RESERVE:
        found.wrong.append(
            f"Only {found.figures['free'] / 1e6:.0f} MB are free. Edits need some of it; nothing large is written now. "
            "Make room, or delete archived episodes for good."
        )
    if stat.S_IMODE(data.stat().st_mode) & 0o077:
        found.wrong.append(
            f"Others on this machine may look into {data}. Starting Pampa closes it, as does: chmod 700 {data}"
        )


def _database(database: sqlite3.Connection, found: Diagnosis) -> None:
    [[answer]] = database.execute("PRAGMA integrity_check(1)").fetchall()
    if answer != "ok":
        found.wrong.append(f"The database is damaged ({answer}). Restore a backup, or a copy from before an upgrade.")
    if loose := database.execute("PRAGMA foreign_key_check").fetchall():
        found.wrong.append(f"{len(loose)} rows of the database speak of something that is not there.")
    [[state]] = database.execute("SELECT version_num FROM alembic_version").fetchall()
    known = known_states()
    if state not in known:
        found.wrong.append(f"The data was used by a newer Pampa (state {state}; this one knows {known[-1]}).")
    elif state != known[-1]:
        found.noted.append(f"The data is of state {state}; starting Pampa brings it to {known[-1]}.")
    [[failed]] = database.execute("SELECT count(*) FROM recordings WHERE state = 'failed' AND NOT removed").fetchall()
    if failed:
        found.noted.append(f"{failed} files could not be brought in; Gather says why.")


def _originals(database: sqlite3.Connection, data: Path, found: Diagnosis, told: Told) -> None:
    rows = database.execute(
        "SELECT sha256, suffix, min(name) FROM recordings WHERE state != 'gone' GROUP BY sha256, suffix"
    ).fetchall()
    for n, (sha256, suffix, name) in enumerate(rows):
        told(f"Reading {name}", n / len(rows))
        path = original_in(data, sha256, suffix)
        if not path.exists():
            found.wrong.append(f"The original of {name} is missing ({path.relative_to(data)}). Bring it in again.")
        elif hash_file(path) != sha256:
            found.wrong.append(f"The original of {name} is not as it came in ({path.relative_to(data)}).")
    found.noted.append(f"{len(rows)} originals were read and compared with their hashes.")


def _deliveries(database: sqlite3.Connection, data: Path, found: Diagnosis) -> None:
    for episode, file, name in database.execute("SELECT episode_id, file, name FROM deliveries"):
        if not (data / "deliveries" / str(episode) / file).exists():
            found.wrong.append(f"{name} went out, and its file is missing. Make it again in Send out.")


def _orphans(database: sqlite3.Connection, data: Path, found: Diagnosis) -> None:
    """What no row speaks of. Originals are never deleted for that: an older database may need them again."""
    named = {original_in(data, *row) for row in database.execute("SELECT sha256, suffix FROM recordings")}
    loose = [path for path in (data / "originals").rglob("*") if path.is_file() and path not in named]
    if loose:
        size = sum(path.stat().st_size for path in loose) / 1e6
        found.noted.append(f"{len(loose)} originals ({size:.0f} MB) belong to nothing that the database knows.")
    half = [path for folder in FOLDERS for path in (data / folder).rglob(f"*{MAKING}*")]
    if half:
        found.noted.append(f"{len(half)} half-made files lie about; the next start sweeps them.")
