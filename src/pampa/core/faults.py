"""Places at which a test may end the process, as a power cut would: named, counted, and idle unless asked for.

`PAMPA_FAULT=name:3` kills the process when it passes `name` for the third time; `PAMPA_FAULT=tell:FILE` writes down
what is passed, a line each, so that a test can try every one of them.
"""

import os
import signal
from collections import Counter

ASKED = "PAMPA_FAULT"
_passed: Counter[str] = Counter()


def fault_point(name: str) -> None:
    """Pass a place at which everything that was acknowledged must be safe."""
    asked = os.environ.get(ASKED)
    if not asked:
        return
    _passed[name] += 1
    place = f"{name}:{_passed[name]}"
    if asked == place:
        os.kill(os.getpid(), signal.SIGKILL)
    if asked.startswith("tell:"):
        with open(asked.removeprefix("tell:"), "a") as told:
            told.write(place + "\n")
