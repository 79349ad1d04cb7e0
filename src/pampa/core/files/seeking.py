"""Looking for finds in a process of its own and after all others: the page and the sound stay quick meanwhile."""

import os
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from pampa.core.arrays import arrays_in
from pampa.core.errors import PampaError
from pampa.core.executor import Threads
from pampa.core.files.children import ChildFailed, answer, ask_child, tell
from pampa.core.files.conform import conformed_source
from pampa.core.files.whole import whole
from pampa.core.finds.find import VERSION, Heard, hear, not_looked_at
from pampa.core.finds.placed import Lying, find_placed, packed, together, unpacked

NICE = 10
PASSES = 3
LISTENING, COMPARING = 0.9, 0.92
"""Shares of the work: listening ends at the one, comparing begins at the other."""

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class Conformed:
    """A conformed recording and where it lies: see `Lying`."""

    folder: str
    begins: int
    drift_ppm: float


def find_in_child(recordings: Sequence[Conformed], progress: Progress) -> tuple[list[dict[str, Any]], list[str | None]]:
    """`find_placed` of conformed recordings, as plain data, and for each why its words were not looked at, if so.

    What was listened to is kept beside each recording.

    progress : may raise to stop; then the child ends too. Raises PampaError where the child came to nothing.
    """
    try:
        told = ask_child(__name__, [asdict(recording) for recording in recordings], progress)
    except ChildFailed as error:
        raise PampaError(
            "Looking for finds came to an end too soon. Nothing was changed. Open Prune again to retry."
        ) from error
    return told["finds"], told["unheard"]


def heard_of(folder: Path, told: Callable[[float], None] = lambda share: None) -> Heard:
    """A conformed recording listened to, now or before: what was heard is kept beside it."""
    path = folder / "finds" / f"heard-{VERSION}.npz"
    if path.exists():
        return unpacked(arrays_in(path))
    heard = hear(conformed_source(folder), _Counting(told))
    path.parent.mkdir(exist_ok=True)
    with whole(path) as making:
        np.savez(making, **packed(heard))  # type: ignore[arg-type]
    return heard


class _Counting(Threads):
    """Threads that tell how many segments have been done, of all passes of `hear`."""

    def __init__(self, told: Callable[[float], None]) -> None:
        super().__init__(os.cpu_count() or 1)
        self._told = told
        self._passed = 0

    def map(self, function: Any, items: Any) -> Any:
        listed = list(items)
        for index, result in enumerate(super().map(function, listed)):
            self._told((self._passed + (index + 1) / len(listed)) / PASSES)
            yield result
        self._passed += 1


def main(wanted: list[dict[str, Any]]) -> None:
    """The child."""
    os.nice(NICE)
    lying = []
    for n, each in enumerate(wanted):

        def told(share: float, n: int = n) -> None:
            tell("Listening", LISTENING * (n + share) / len(wanted))

        lying.append(Lying(heard_of(Path(each["folder"]), told), each["begins"], each["drift_ppm"]))
    tell("Comparing", COMPARING)
    answer(finds=[asdict(find) for find in find_placed(lying)], unheard=not_looked_at(together(lying)))
