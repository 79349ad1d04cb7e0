"""`pampa deliver`, and what else ends in a file at a target."""

import json
import os
import sys
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from rich.progress import Progress as Bar

from pampa.cli.reading import decoded
from pampa.core.deliver.formats import Format, format_of, rate_for
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.errors import PampaError, SignalError
from pampa.core.executor import Executor, Threads
from pampa.core.files.deliver import deliver
from pampa.core.loudness import measure_source, summarise
from pampa.core.sound import Source

Change = Callable[[Source, Executor], tuple[Source, dict[str, Any]]]
"""What is done to the sound before it is brought to its target, and figures or words of it to tell."""
UNHEARD_LUFS = -23.0
"""The target of what has no loudness: nothing is changed by it."""


def deliver_file(
    source: Path, out: Path, target: float | None, ceiling: float, bitrate: int | None, bits: int, *, as_json: bool,
    change: Change = lambda sound, executor: (sound, {}), at: int | None = None,
) -> int:  # fmt: skip
    """Deliver one file; 0 when met, 3 when not, 2 for what cannot be done (nothing is written then).

    target : None for as loud as it was. at : the rate that `change` works at; None for that of the file.
    """
    try:
        fmt = format_of(out.name, bits=bits, kbit=bitrate)
        sheet, figures = _deliver(source, out, fmt, target, ceiling, change, quiet=as_json, at=at)
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


def _deliver(source: Path, out: Path, fmt: Format, target: float | None, ceiling: float, change: Change, *,
             quiet: bool, at: int | None) -> tuple[DeliverySheet, dict[str, Any]]:  # fmt: skip
    if out.exists() and source.exists() and out.samefile(source):
        raise SignalError("IN and OUT are the same file. Pampa never writes over an original; choose another OUT.")
    if not out.parent.is_dir():
        raise SignalError(f"There is no folder {out.parent}. Nothing was written.")
    with (
        decoded(source, rate=lambda rate, channels: _rate(fmt, at or rate, channels)) as sound,
        Bar(disable=quiet or not sys.stderr.isatty(), transient=True) as bar,
    ):
        task = bar.add_task("Reading", total=1.0)
        executor = Threads(os.cpu_count() or 2)
        changed, figures = change(sound, executor)
        if target is None:
            target = summarise(measure_source(sound, executor)).integrated_lufs
        aim = Aim(UNHEARD_LUFS if target is None else target, ceiling)
        sheet = deliver(
            changed, out, fmt, aim, executor=executor,
            progress=lambda doing, share: bar.update(task, description=doing, completed=share),
        )  # fmt: skip
        return sheet, figures


def _rate(fmt: Format, rate: int, channels: int) -> int:
    """The rate that the file gets, or SignalError if the format cannot hold such a sound."""
    chosen = rate_for(fmt.kind, rate)
    fmt.checked(rate=chosen, channels=channels)
    return chosen


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
