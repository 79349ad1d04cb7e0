"""The check-up of one file."""

import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pampa.core.checkup.examine import Checkup
from pampa.core.executor import Executor
from pampa.core.files.conform import clipped_stretches, conform, conformed_source
from pampa.core.proposals.findings import findings
from pampa.core.proposals.trying import checked_up

DRAWN = ("levels", "spectrum_hz", "floor_db", "speech_db")


def check_up(path: Path, executor: Executor | None = None) -> Checkup:
    """The check-up of one file, in a folder that goes afterwards."""
    with tempfile.TemporaryDirectory() as folder:
        facts = conform(path, Path(folder) / "conformed")
        source = conformed_source(Path(folder) / "conformed")
        clipped = clipped_stretches(Path(folder) / "conformed")
        return checked_up(source, clipped=clipped, sides_db=facts.side_db, missing=facts.missing, executor=executor)


def as_row(path: Path, checkup: Checkup) -> dict[str, Any]:
    """One file of the JSON; times in seconds, levels in dB, null for what cannot be told."""
    told = {name: value for name, value in asdict(checkup).items() if name not in DRAWN}
    return {
        "file": str(path), **told, "over_floor_db": checkup.over_floor_db,
        "spectrum": {"hz": checkup.spectrum_hz, "floor_db": checkup.floor_db, "speech_db": checkup.speech_db},
        "findings": [asdict(finding) for finding in findings(checkup)],
    }  # fmt: skip
