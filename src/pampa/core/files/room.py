"""Room on the disk: a reserve that caches, recordings and deliveries never take, so that edits can be written."""

import os
import shutil
from pathlib import Path

from pampa.core.errors import DiskFull

RESERVE = 64 << 20
"""Bytes that stay free for the database: some thousand edits with their snapshots."""


def free_bytes(folder: Path) -> int:
    """What can still be written to the disk of a folder, by the person whom Pampa runs for."""
    return shutil.disk_usage(folder).free


def require_room(folder: Path, size: int = 0) -> None:
    """Raise DiskFull if `size` more bytes would touch the reserve.

    Whatever writes much asks again and again: what it will take cannot be known beforehand, an hour of silence is half
    a megabyte as FLAC.
    """
    lacking = size + RESERVE - free_bytes(folder)
    if lacking > 0:
        raise DiskFull(lacking)


def bytes_under(folder: Path) -> int:
    """What the files below a folder take."""
    total = 0
    for where, _, names in os.walk(folder):
        for name in names:
            try:
                total += os.lstat(os.path.join(where, name)).st_size
            except FileNotFoundError:
                continue  # it went meanwhile
    return total
