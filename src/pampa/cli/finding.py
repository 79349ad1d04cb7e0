"""`pampa find`."""

import json
import os
import sys
from pathlib import Path

from pampa.core.errors import PampaError
from pampa.core.executor import Threads
from pampa.core.finds.find import Heard, find, hear, not_looked_at
from pampa.core.finds.finds import Find
from pampa.core.sound import RATE
from pampa.one_file.reading import decoded


def find_in_files(files: list[Path], silence_s: float, least: float, *, as_json: bool) -> int:
    """Tell the finds of a conversation, one file a person, lined up: 0, or 2 when a file cannot be read."""
    try:
        heard = [_hear(path) for path in files]
    except PampaError as error:
        print(json.dumps({"error": str(error)}) if as_json else error, file=sys.stdout if as_json else sys.stderr)
        return 2
    found = [each for each in find(heard, silence_s=silence_s) if each.confidence >= least]
    unheard = [f"{path.name}: {why}" for path, why in zip(files, not_looked_at(heard), strict=True) if why]
    if as_json:
        print(json.dumps({"suggestions": [_row(each) for each in found], "not_looked_at": unheard}))
    else:
        for each in found:
            name = files[each.track].name
            print(f"{_clock(each.start_s)}  {each.length_s:5.2f} s  {each.kind:<12} {name}: {each.evidence}")
        for sentence in unheard:
            print(f"{sentence}. Fillers, restarts and agreement were not looked for.")
    return 0


def _hear(path: Path) -> Heard:
    with decoded(path, rate=lambda rate, channels: RATE) as source:
        return hear(source, Threads(os.cpu_count() or 1))


def _row(each: Find) -> dict[str, object]:
    return {
        "kind": each.kind, "track": each.track, "start_s": round(each.start_s, 4), "end_s": round(each.end_s, 4),
        "confidence": each.confidence, "evidence": each.evidence,
    }  # fmt: skip


def _clock(seconds: float) -> str:
    return f"{int(seconds) // 3600}:{int(seconds) // 60 % 60:02}:{seconds % 60:04.1f}"
