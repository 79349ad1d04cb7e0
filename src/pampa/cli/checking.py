"""The command `checkup`: what each recording suffers from, and what is proposed."""

import json
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from rich.console import Console

from pampa.core.checkup.examine import Checkup
from pampa.core.errors import PampaError
from pampa.core.files.conform import clipped_stretches, conform, conformed_source
from pampa.core.proposals.findings import findings
from pampa.core.proposals.trying import checked_up

DRAWN = ("levels", "spectrum_hz", "floor_db", "speech_db")


def check_up_files(files: list[Path], *, as_json: bool) -> int:
    """Check files up one by one. Ends with 0, or 2 if one could not be read; the others are told all the same."""
    rows: list[dict[str, Any]] = []
    failed = 0
    console = Console()
    for path in files:
        try:
            checkup = check_up(path)
        except PampaError as error:
            failed = 2
            rows.append({"file": str(path), "error": str(error)})
            continue
        rows.append(as_row(path, checkup))
    if as_json:
        print(json.dumps({"files": rows}))
        return failed
    for row in rows:
        console.print(f"[bold]{row['file']}[/bold]")
        console.print(f"  {row['error']}" if "error" in row else "\n".join(f"  {f['text']}" for f in row["findings"]))
    return failed


def check_up(path: Path) -> Checkup:
    """The check-up of one file, in a folder that goes afterwards."""
    with tempfile.TemporaryDirectory() as folder:
        facts = conform(path, Path(folder) / "conformed")
        source = conformed_source(Path(folder) / "conformed")
        clipped = clipped_stretches(Path(folder) / "conformed")
        return checked_up(source, clipped=clipped, sides_db=facts.side_db, missing=facts.missing)


def as_row(path: Path, checkup: Checkup) -> dict[str, Any]:
    """One file of the JSON; times in seconds, levels in dB, null for what cannot be told."""
    told = {name: value for name, value in asdict(checkup).items() if name not in DRAWN}
    return {
        "file": str(path), **told, "over_floor_db": checkup.over_floor_db,
        "spectrum": {"hz": checkup.spectrum_hz, "floor_db": checkup.floor_db, "speech_db": checkup.speech_db},
        "findings": [asdict(finding) for finding in findings(checkup)],
    }  # fmt: skip
