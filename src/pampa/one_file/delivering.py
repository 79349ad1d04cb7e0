"""One file brought to its loudness, changed before that or as it is."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from pampa.core.deliver.chapters import Chapter
from pampa.core.deliver.formats import Format, format_of, rate_for
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.errors import SignalError
from pampa.core.executor import Executor
from pampa.core.files.deliver import deliver
from pampa.core.files.tags import Tags
from pampa.core.loudness import measure_source, summarise
from pampa.core.sound import RATE, Source
from pampa.core.timeline.marker_files import read_markers
from pampa.one_file.reading import decoded

Change = Callable[[Source, Executor], tuple[Source, dict[str, Any]]]
"""What is done to the sound before it is brought to its target, and figures or words of it to tell."""
Told = Callable[[str, float], None]
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


def unchanged(sound: Source, executor: Executor) -> tuple[Source, dict[str, Any]]:
    """The sound as it is."""
    return sound, {}


def delivered(source: Path, out: Path, wanted: Wanted, executor: Executor, *, change: Change = unchanged,
              told: Told = lambda doing, share: None) -> tuple[DeliverySheet, dict[str, Any]]:  # fmt: skip
    """Write OUT, and tell what came of it, and the figures of the change.

    Raises PampaError or OSError for what cannot be done; nothing is written then.
    """
    fmt = wanted.fmt(out.name)
    if out.exists() and source.exists() and out.samefile(source):
        raise SignalError("IN and OUT are the same file. Pampa never writes over an original; choose another OUT.")
    if not out.parent.is_dir():
        raise SignalError(f"There is no folder {out.parent}. Nothing was written.")
    with decoded(source, rate=lambda rate, channels: _rate(fmt, wanted.rate or rate, channels)) as sound:
        changed, figures = change(sound, executor)
        target = wanted.target_lufs
        if target is None:
            target = summarise(measure_source(sound, executor)).integrated_lufs
        aim = Aim(UNHEARD_LUFS if target is None else target, wanted.ceiling_dbtp)
        return deliver(changed, out, fmt, aim, tags=wanted.tags, executor=executor, progress=told), figures


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


def _rate(fmt: Format, rate: int, channels: int) -> int:
    """The rate that the file gets, or SignalError if the format cannot hold such a sound."""
    chosen = rate_for(fmt.kind, rate)
    fmt.checked(rate=chosen, channels=channels)
    return chosen
