"""What processes of Mend have measured of a recording, kept beside its conformed sound."""

import hashlib
from functools import lru_cache
from pathlib import Path

import numpy as np

from pampa.core.arrays import arrays_in
from pampa.core.files.whole import whole
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import Measured, basis
from pampa.core.mend.codec import pack, unpack
from pampa.core.mend.processes import PROCESS_NAMES, Knowledge

OPEN = 512


def known_of(folder: Path, amounts: Amounts) -> Measured:
    """What is known for these amounts so far. A process waits for those before it."""
    found: dict[str, Knowledge] = {}
    for name in PROCESS_NAMES:
        if amounts.of(name) > 0:
            path = _place(folder, name, amounts)
            try:
                found[name] = _read(path)
            except FileNotFoundError:
                break
    return found


def keep(folder: Path, name: str, amounts: Amounts, known: Knowledge) -> None:
    """Keep what one process has measured."""
    path = _place(folder, name, amounts)
    path.parent.mkdir(parents=True, exist_ok=True)
    with whole(path) as making:
        np.savez(making, **pack(known))


def near_in(folder: Path, near: tuple[int, int]) -> Path:
    """The folder, in that of a conformed recording, for what a stretch of it alone has told."""
    return folder / "near" / f"{near[0]}-{near[1]}"


@lru_cache(OPEN)
def _read(path: Path) -> Knowledge:
    return unpack(arrays_in(path))


def _place(folder: Path, name: str, amounts: Amounts) -> Path:
    told = hashlib.sha256(basis(name, amounts).encode()).hexdigest()[:16]
    return folder / "mends" / f"{name}-{told}.npz"
