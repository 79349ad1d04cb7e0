"""`pampa deliver`, and what else ends in a file at a target."""

import json
import os
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pampa.cli.bar import bar
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.errors import PampaError
from pampa.core.executor import Threads
from pampa.one_file.delivering import Change, Wanted, delivered, unchanged


def deliver_file(source: Path, out: Path, wanted: Wanted, *, as_json: bool, change: Change = unchanged) -> int:
    """Deliver one file; 0 when met, 3 when not, 2 for what cannot be done (nothing is written then)."""
    try:
        with bar("Reading", quiet=as_json) as told:
            executor = Threads(os.cpu_count() or 2)
            sheet, figures = delivered(source, out, wanted, executor, change=change, told=told)
    except PampaError as error:
        return _refused(str(error), as_json=as_json)
    except OSError as error:
        return _refused(f"{out} could not be written: {error.strerror}. Nothing was written.", as_json=as_json)
    if as_json:
        print(json.dumps({"file": str(out), **asdict(sheet), **figures}))
    else:
        print(_sentence(out, sheet, figures))
    return 0 if sheet.met else 3


def _refused(message: str, *, as_json: bool) -> int:
    print(json.dumps({"error": message}) if as_json else message, file=sys.stdout if as_json else sys.stderr)
    return 2


def _sentence(out: Path, sheet: DeliverySheet, told: dict[str, Any]) -> str:
    loudness = sheet.loudness
    if loudness.integrated_lufs is None:
        return f"{out.name}: {sheet.reason}"
    figures = f"{loudness.integrated_lufs:.1f} LUFS, {loudness.true_peak_dbtp:.1f} dBTP".replace("-", "−")
    more = "".join(
        f" {name.replace('_db', '').replace('_', ' ')}: {value:+.1f} dB." for name, value in told.items()
        if isinstance(value, float)
    )  # fmt: skip
    return f"{out.name}: {sheet.format}, {figures}. " + (sheet.reason or "On target.") + more.replace("-", "−")
