"""`pampa compare`: what differs between two files."""

import json
import os
from contextlib import ExitStack
from dataclasses import asdict
from pathlib import Path

from pampa.core.compare.by_sound import differences_heard, heard, stretches_heard
from pampa.core.compare.report import Side, report
from pampa.core.executor import Threads
from pampa.core.loudness import measure_source, summarise
from pampa.one_file.reading import decoded


def compare_files(here: Path, there: Path, *, as_json: bool) -> int:
    """Tell what differs; 0, also where nothing does. What cannot be read raises."""
    executor = Threads(os.cpu_count() or 1)
    sides, listened = [], []
    with ExitStack() as opened:
        for path in (here, there):
            source = opened.enter_context(decoded(path))
            part = measure_source(source, executor)
            sides.append(Side(path.name, source.frames / source.rate, summarise(part)))
            listened.append(heard(source, part.energy))
        stretches = stretches_heard(listened[0], listened[1])
        found = differences_heard(listened[0], listened[1], stretches)
    if as_json:
        print(json.dumps({
            "files": [asdict(side) for side in sides], "common": [asdict(each) for each in stretches],
            "differences": [asdict(each) for each in found],
        }))  # fmt: skip
    else:
        print(report(sides[0], sides[1], found), end="")
    return 0
