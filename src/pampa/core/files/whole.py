"""Files that appear whole or not at all."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def whole(path: Path) -> Iterator[Path]:
    """A path to write to in the place of `path`, which it becomes when all went well; else nothing is left."""
    making = path.with_name(f".{path.stem}.making{path.suffix}")
    try:
        yield making
        with making.open("rb") as file:
            os.fsync(file.fileno())
        making.replace(path)
    finally:
        making.unlink(missing_ok=True)
