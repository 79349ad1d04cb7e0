"""`pampa level`: a file with one voice or several, every phrase at one loudness, brought to a target."""

from pathlib import Path

import numpy as np

from pampa.cli.delivering import Wanted, deliver_file
from pampa.core.executor import Executor
from pampa.core.sound import Source
from pampa.core.voice.level_file import levelled

CEILING_DBTP = -1.0


def level_file(source: Path, out: Path, target: float, amount: float, *, as_json: bool) -> int:
    """Level one file; ends as `deliver` does. Figures: how far phrases were lifted and lowered at most, in dB."""

    def change(sound: Source, executor: Executor) -> tuple[Source, dict[str, float]]:
        made = levelled(sound, amount=amount, executor=executor)
        low, high = (float(most(made.gain_db, initial=0.0)) for most in (np.min, np.max))
        return made, {"lowered_most_db": round(low, 1), "lifted_most_db": round(high, 1)}

    return deliver_file(source, out, Wanted(target, CEILING_DBTP), as_json=as_json, change=change)
