"""The command `clean`: a recording mended into a new file, with a report of what was done."""

import json
import math
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from rich.console import Console

from pampa.core.checkup.examine import examine
from pampa.core.checkup.findings import findings
from pampa.core.deliver.encode import encode
from pampa.core.deliver.formats import Format
from pampa.core.errors import PampaError
from pampa.core.files.conform import clipped_stretches, conform, conformed_source
from pampa.core.mend.clean import Amounts, Mending, measure, mended
from pampa.core.sound import FloatArray, Source


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
        making = out.with_name(f".{out.stem}.making{out.suffix}")
        report = _Report(path, out, source, mending)
        try:
            encode(making, report.watched(mended(source, mending)), Format(out.suffix.lower()[1:], 24),  # type: ignore[arg-type]
                   rate=source.rate, channels=source.channels)  # fmt: skip
            making.replace(out)
        finally:
            making.unlink(missing_ok=True)
    if as_json:
        print(json.dumps(report.row()))
    else:
        Console().print("\n".join(report.lines()))
    return 0


class _Report:
    """What was done, in numbers; how much was taken away is summed while the sound goes by."""

    def __init__(self, path: Path, out: Path, source: Source, mending: Mending) -> None:
        self._path, self._out, self._source, self._mending = path, out, source, mending
        self._peaks = [0.0, 0.0]
        self._taken = 0.0

    def watched(self, parts: Iterator[FloatArray]) -> Iterator[FloatArray]:
        at = 0
        for part in parts:
            before = self._source.read(at, at + len(part))
            self._peaks = [
                max(p, float(np.abs(s).max(initial=0))) for p, s in zip(self._peaks, (before, part), strict=True)
            ]
            self._taken += float(np.sum((before - part).astype(np.float64) ** 2))
            at += len(part)
            yield part

    def row(self) -> dict[str, Any]:
        hum, angle = self._mending.hum, self._mending.angle
        mean = self._taken / max(self._source.frames * self._source.channels, 1)
        return {
            "file": str(self._path), "out": str(self._out), "amounts": {"hum": self._mending.amounts.hum},
            "hum": None if hum is None else {"hz": round(hum.hz, 3), "harmonics": list(hum.harmonics)},
            "phase": None if not angle else {
                "degrees": round(math.degrees(angle)), "wins_db": round(self._mending.wins_db, 1)
            },
            "peak_before_dbfs": _db(self._peaks[0] ** 2), "peak_after_dbfs": _db(self._peaks[1] ** 2),
            "taken_away_dbfs": _db(mean) if not angle else None,
        }  # fmt: skip

    def lines(self) -> list[str]:
        row = self.row()
        hum, phase = row["hum"], row["phase"]
        told = [f"[bold]{self._out}[/bold]"]
        if hum:
            told.append(f"  hum at {hum['hz']} Hz, {len(hum['harmonics'])} harmonics subtracted")
        if phase:
            told.append(f"  phase turned by {phase['degrees']} degrees, {phase['wins_db']} dB of headroom won")
        return told if len(told) > 1 else [*told, "  nothing to mend was found; the sound is as it was"]


def _db(power: float) -> float | None:
    return round(10 * math.log10(power), 1) if power > 0 else None
