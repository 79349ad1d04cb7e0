"""How far a command is, for people at a terminal; for programs nothing is written, and nothing loaded for it."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

Told = Callable[[str, float], None]


@contextmanager
def bar(doing: str = "", *, quiet: bool = False) -> Iterator[Told]:
    """Gives what is to be told of the progress: what is being done, and its share from 0 to 1."""
    if quiet or not sys.stderr.isatty():
        yield lambda doing, share: None
        return
    from rich.console import Console
    from rich.progress import Progress

    with Progress(transient=True, console=Console(stderr=True)) as progress:
        task = progress.add_task(doing, total=1.0)
        yield lambda doing, share: progress.update(task, description=doing, completed=share)
