"""`pampa deliver`, and what else ends in a file at a target."""

import json
import os
import sys
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path
from typing import Any

from pampa.cli.bar import bar
from pampa.cli.reading import decoded
from pampa.core.deliver.chapters import Chapter
from pampa.core.deliver.formats import Format, format_of, rate_for
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.errors import PampaError, SignalError
from pampa.core.executor import Executor, Threads
from pampa.core.files.deliver import deliver
from pampa.core.files.tags import Tags
from pampa.core.loudness import measure_source, summarise
from pampa.core.sound import RATE, Source
from pampa.core.timeline.marker_files import read_markers

Change = Callable[[Source, Executor], tuple[Source, dict[str, Any]]]
"""What is done to the sound before it is brought to its target, and figures or words of it to tell."""
UNHEARD_LUFS = -23.0
"""The target of what has no loudness: nothing is changed by it."""


@dataclass(frozen=True)
class Wanted:
    """What is asked of a file. target_lufs : None for as loud as it was. fmt : told by OUT's ending where None."""

    target_lufs: float | None
    ceiling_dbtp: float
    fmt: Callable[[str], Format] = format_of
    rate: int | None = None
    tags: Tags | None = None


def deliver_file(
    source: Path, out: Path, wanted: Wanted, *, as_json: bool, change: Change = lambda sound, executor: (sound, {})
) -> int:
    """Deliver one file; 0 when met, 3 when not, 2 for what cannot be done (nothing is written then)."""
    try:
        sheet, figures = _deliver(source, out, wanted, change, quiet=as_json)
    except PampaError as error:
        return _refused(str(error), as_json=as_json)
    except OSError as error:
        return _refused(f"{out} could not be written: {error.strerror}. Nothing was written.", as_json=as_json)
    if as_json:
        print(json.dumps({"file": str(out), **asdict(sheet), **figures}))
    else:
        print(_sentence(out, sheet, figures))
    return 0 if sheet.met else 3


def format_from(*, bits: int, kbit: int | None, quality: int | None, broadcast: bool) -> Callable[[str], Format]:
    """What gives the format by OUT's name, with what was asked of it besides."""
    return partial(format_of, bits=bits, kbit=kbit, quality=quality, broadcast=broadcast)


def tags_from(title: str, show: str, chapters: Path | None) -> Tags | None:
    """What a player shows; None where nothing was given. Raises PampaError where the chapters cannot be read."""
    if not (title or show or chapters):
        return None
    found: tuple[Chapter, ...] = ()
    if chapters:
        try:
            text = chapters.read_text("utf-8")
        except (OSError, ValueError):
            raise SignalError(f"{chapters} could not be read. Nothing was written.") from None
        found = tuple(Chapter(at / RATE, name) for at, name in read_markers(text))
    return Tags(title, show, chapters=found)


def _refused(message: str, *, as_json: bool) -> int:
    print(json.dumps({"error": message}) if as_json else message, file=sys.stdout if as_json else sys.stderr)
    return 2


def _deliver(source: Path, out: Path, wanted: Wanted, change: Change, *, quiet: bool
             ) -> tuple[DeliverySheet, dict[str, Any]]:  # fmt: skip
    fmt = wanted.fmt(out.name)
    if out.exists() and source.exists() and out.samefile(source):
        raise SignalError("IN and OUT are the same file. Pampa never writes over an original; choose another OUT.")
    if not out.parent.is_dir():
        raise SignalError(f"There is no folder {out.parent}. Nothing was written.")
    with (
        decoded(source, rate=lambda rate, channels: _rate(fmt, wanted.rate or rate, channels)) as sound,
        bar("Reading", quiet=quiet) as told,
    ):
        executor = Threads(os.cpu_count() or 2)
        changed, figures = change(sound, executor)
        target = wanted.target_lufs
        if target is None:
            target = summarise(measure_source(sound, executor)).integrated_lufs
        aim = Aim(UNHEARD_LUFS if target is None else target, wanted.ceiling_dbtp)
        return deliver(changed, out, fmt, aim, tags=wanted.tags, executor=executor, progress=told), figures


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
