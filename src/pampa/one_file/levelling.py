"""A file with one voice or several: every phrase at one loudness."""

from typing import Any

import numpy as np

from pampa.core.executor import Executor
from pampa.core.sound import Source
from pampa.core.voice.level_file import levelled
from pampa.one_file.delivering import Change

CEILING_DBTP = -1.0


def levelling(amount: float) -> Change:
    """Levels by an amount of 0 to 100. Figures: how far phrases were lifted and lowered at most, in dB."""

    def change(sound: Source, executor: Executor) -> tuple[Source, dict[str, Any]]:
        made = levelled(sound, amount=amount, executor=executor)
        low, high = (float(most(made.gain_db, initial=0.0)) for most in (np.min, np.max))
        return made, {"lowered_most_db": round(low, 1), "lifted_most_db": round(high, 1)}

    return change
