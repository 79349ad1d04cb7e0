"""The command `clean`: a recording mended into a new file, with a report of what was done."""

import json
import math
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from rich.console import Console

from pampa.core.checkup.examine import examine
from pampa.core.checkup.findings import findings
from pampa.core.deliver.encode import encode
from pampa.core.deliver.formats import Format, Kind
from pampa.core.errors import PampaError
from pampa.core.files.conform import clipped_stretches, conform, conformed_source
from pampa.core.files.whole import whole
from pampa.core.loudness.measure import to_db
from pampa.core.mend.clean import Amounts, Done, Mending, measure, mended


def clean_file(path: Path, out: Path, amounts: Amounts, *, auto: bool, as_json: bool) -> int:
    """Mend `path` into `out` (WAV or FLAC, 24 bit, 48 kHz). Ends with 0; a file that cannot be read raises."""
    if out.suffix.lower() not in (".wav", ".flac"):
        raise PampaError(f"{out.name}: mended sound is written as WAV or FLAC. Nothing was written.")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "conformed"
        facts = conform(path, folder)
        source = conformed_source(folder)
        if auto:
            checkup = examine(source, clipped=clipped_stretches(folder), sides_db=facts.side_db)
            proposed = {finding.process: finding.amount or 0 for finding in findings(checkup)}
            amounts = Amounts(hum=max(amounts.hum, proposed.get("hum", 0)), phase=amounts.phase or "phase" in proposed)
        mending = measure(source, amounts)
        done = Done()
        kind: Kind = "flac" if out.suffix.lower() == ".flac" else "wav"
        with whole(out) as making:
            parts = done.watched(source, mended(source, mending))
            encode(making, parts, Format(kind, 24), rate=source.rate, channels=source.channels)
    if as_json:
        print(json.dumps(as_row(path, out, mending, done)))
    else:
        Console().print("\n".join(as_lines(out, mending)))
    return 0


def as_row(path: Path, out: Path, mending: Mending, done: Done) -> dict[str, Any]:
    """The JSON: what was found and done; null for what was not."""
    hum = mending.hum
    return {
        "file": str(path), "out": str(out), "amounts": asdict(mending.amounts),
        "hum": None if hum is None else {"hz": round(hum.hz, 3), "harmonics": list(hum.harmonics)},
        "phase": None if not mending.angle else {
            "degrees": round(math.degrees(mending.angle)), "wins_db": round(mending.wins_db, 1)
        },
        "peak_before_dbfs": _rounded(done.peak_before), "peak_after_dbfs": _rounded(done.peak_after),
    }  # fmt: skip


def as_lines(out: Path, mending: Mending) -> list[str]:
    """The same for a person to read."""
    told = []
    if mending.hum:
        told.append(f"  hum at {mending.hum.hz:.2f} Hz, {len(mending.hum.harmonics)} harmonics subtracted")
    if mending.angle:
        told.append(f"  phase turned by {math.degrees(mending.angle):.0f} degrees, "
                    f"{mending.wins_db:.1f} dB of headroom won")  # fmt: skip
    return [f"[bold]{out}[/bold]", *(told or ["  nothing to mend was found; the sound is as it was"])]


def _rounded(peak: float) -> float | None:
    level = to_db(peak)
    return None if level is None else round(level, 1)
