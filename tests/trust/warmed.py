"""Loaded once by the process that all those are forked from which may be killed: they find it there."""

from pathlib import Path
from tempfile import TemporaryDirectory

from pampa.cli.warming import warm_up
from pampa.store.database import open_database
from tests.trust import scenario

LOADED = scenario
"""With all that it imports."""


def open_one() -> None:
    """What opening a database loads and compiles when it is first done."""
    with TemporaryDirectory() as folder:
        open_database(Path(folder) / "pampa.db").engine.dispose()


warm_up()
open_one()
