"""What Mend knows of recordings: measured once, kept beside the conformed sound, and read again after a restart."""

import hashlib
import threading
from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np

from pampa.core.executor import Executor
from pampa.core.files.conform import clipped_stretches, read_facts
from pampa.core.files.seeking import heard_of
from pampa.core.files.whole import whole
from pampa.core.finds.placed import Lying, on_time
from pampa.core.mend.amounts import Amounts, Other
from pampa.core.mend.clean import Measured, Told, basis, measure
from pampa.core.mend.codec import pack, unpack
from pampa.core.mend.processes import PROCESS_NAMES, Facts, Knowledge
from pampa.core.sound import Source
from pampa.core.speech.features import Features


class Mends:
    """Measurements by the folder of the conformed recording that they belong to."""

    def __init__(self, executor: Executor) -> None:
        self._executor = executor
        self._known: dict[Path, Knowledge] = {}
        self._measuring = threading.Lock()
        self.version = 0
        """Grows whenever something new is known: what is heard may be mended further now."""

    def known(self, folder: Path, amounts: Amounts) -> Measured:
        """What is known for these amounts so far. A process waits for those before it."""
        found: dict[str, Knowledge] = {}
        for name in PROCESS_NAMES:
            if amounts.of(name) > 0:
                path = _place(folder, name, amounts)
                if path not in self._known:
                    if not path.exists():
                        break
                    with np.load(path) as arrays:
                        self._known[path] = unpack(arrays)
                found[name] = self._known[path]
        return found

    def lacks(self, folder: Path, amounts: Amounts) -> bool:
        """Whether something is still to be measured for these amounts."""
        asked = [name for name in PROCESS_NAMES if amounts.of(name) > 0]
        return len(self.known(folder, amounts)) < len(asked)

    def measure(self, folder: Path, source: Source, amounts: Amounts, told: Told = lambda doing, share: None, *,
                others: Mapping[int, Path] | None = None, room: Callable[[], tuple[float, float] | None] = lambda: None,
                ) -> None:  # fmt: skip
        """Measure what is lacking, one after another; each is kept as soon as it is known.

        others : the conformed folders of those that `amounts` are among. room : where only the room is heard.
        """
        folders = others or {}

        def heard(other: Other) -> Features:
            lying = Lying(heard_of(folders[other.recording]), other.begins, other.drift_ppm)
            return on_time(lying, other.begins).features

        with self._measuring:
            facts = Facts(
                clipped_stretches(folder), self._executor,
                own=lambda: heard_of(folder).features, others=lambda: [heard(other) for other in amounts.among],
                room=room, missing=read_facts(folder).missing,
            )  # fmt: skip

            def keep(name: str, known: Knowledge) -> None:
                path = _place(folder, name, amounts)
                path.parent.mkdir(exist_ok=True)
                with whole(path) as making:
                    np.savez(making, **pack(known))
                self.version += 1

            measure(source, amounts, facts, known=self.known(folder, amounts), told=told, keep=keep)


def _place(folder: Path, name: str, amounts: Amounts) -> Path:
    told = hashlib.sha256(basis(name, amounts).encode()).hexdigest()[:16]
    return folder / "mends" / f"{name}-{told}.npz"
