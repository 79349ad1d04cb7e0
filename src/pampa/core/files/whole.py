"""Files that appear whole or not at all."""

import os
import shutil
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from pampa.core.faults import fault_point

MAKING = ".making"
"""Every name of something half-made holds this, so that what a stop left behind is known for it."""


@contextmanager
def whole(path: Path) -> Iterator[Path]:
    """A path to write to in the place of `path`, which it becomes when all went well; else nothing is left."""
    # By process and thread: two may make the same file at once, and the last one to be done is kept.
    making = path.with_name(f".{path.stem}{MAKING}-{os.getpid()}-{threading.get_ident()}{path.suffix}")
    try:
        yield making
        with making.open("rb") as file:
            os.fsync(file.fileno())
        fault_point("whole")
        making.replace(path)
        sync_folder(path.parent)
    finally:
        making.unlink(missing_ok=True)


@contextmanager
def whole_folder(path: Path) -> Iterator[Path]:
    """A folder to write into in the place of `path`, which it becomes when all went well; else nothing is left."""
    making = path.with_name(f"{path.name}{MAKING}-{os.getpid()}-{threading.get_ident()}")
    shutil.rmtree(making, ignore_errors=True)
    making.mkdir(parents=True)
    try:
        yield making
        fault_point("whole-folder")
        shutil.rmtree(path, ignore_errors=True)
        making.rename(path)
        sync_folder(path.parent)
    finally:
        shutil.rmtree(making, ignore_errors=True)


def sync_folder(folder: Path) -> None:
    """Make a rename in a folder last through a power cut."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
