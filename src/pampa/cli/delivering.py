"""`pampa deliver`."""

import json
import os
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path

import numpy as np
import soxr
from rich.progress import Progress as Bar

from pampa.core.deliver.deliver import deliver
from pampa.core.deliver.formats import Format, format_of, rate_for
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.errors import PampaError, SignalError, UnreadableSound
from pampa.core.executor import Threads
from pampa.core.files.decode import open_sound
from pampa.core.sound import ArraySource


def deliver_file(
    source: Path, out: Path, target: float, ceiling: float, bitrate: int | None, bits: int, *, as_json: bool
) -> int:
    """Deliver one file; 0 when met, 3 when not, 2 for what cannot be done (nothing is written then)."""
    try:
        sheet = _deliver(source, out, format_of(out, bits=bits, kbit=bitrate), Aim(target, ceiling), quiet=as_json)
    except PampaError as error:
        return _refused(str(error), as_json=as_json)
    except OSError as error:
        return _refused(f"{out} could not be written: {error.strerror}. Nothing was written.", as_json=as_json)
    if as_json:
        print(json.dumps({"file": str(out), **asdict(sheet)}))
    else:
        print(_sentence(out, sheet))
    return 0 if sheet.met else 3


def _refused(message: str, *, as_json: bool) -> int:
    print(json.dumps({"error": message}) if as_json else message, file=sys.stdout if as_json else sys.stderr)
    return 2


def _deliver(source: Path, out: Path, fmt: Format, aim: Aim, *, quiet: bool) -> DeliverySheet:
    if out.exists() and source.exists() and out.samefile(source):
        raise SignalError("IN and OUT are the same file. Pampa never writes over an original; choose another OUT.")
    if not out.parent.is_dir():
        raise SignalError(f"There is no folder {out.parent}. Nothing was written.")
    with decoded(source, fmt) as sound, Bar(disable=quiet or not sys.stderr.isatty(), transient=True) as bar:
        task = bar.add_task("Reading", total=1.0)
        return deliver(
            sound, out, fmt, aim, executor=Threads(os.cpu_count() or 2),
            progress=lambda doing, share: bar.update(task, description=doing, completed=share),
        )  # fmt: skip


@contextmanager
def decoded(path: Path, fmt: Format) -> Iterator[ArraySource]:
    """The sound of a file, at a rate that the format can hold, on disk and not in memory."""
    with tempfile.TemporaryFile() as gathered, open_sound(path) as sound:
        rate = rate_for(fmt.kind, sound.rate)
        fmt.checked(rate=rate, channels=sound.channels)
        resampler = None
        if rate != sound.rate:
            resampler = soxr.ResampleStream(sound.rate, rate, sound.channels, dtype="float32", quality="VHQ")
        frames = 0
        for block in sound.blocks:
            if not np.isfinite(block).all():
                raise SignalError(
                    f"{path.name} holds samples that are no numbers. Nothing was written; export it again."
                )
            block = resampler.resample_chunk(block) if resampler else block
            frames += len(block)
            block.tofile(gathered)
        if resampler:
            block = resampler.resample_chunk(np.zeros((0, sound.channels), np.float32), last=True)
            frames += len(block)
            block.tofile(gathered)
        if not frames:
            raise UnreadableSound(f"{path.name} holds no sound, only a header. Nothing was written.")
        gathered.flush()
        data = np.memmap(gathered, np.float32, "r", shape=(frames, sound.channels))
        yield ArraySource(data, rate)


def _sentence(out: Path, sheet: DeliverySheet) -> str:
    loudness = sheet.loudness
    if loudness.integrated_lufs is None:
        return f"{out.name}: {sheet.reason}"
    figures = f"{loudness.integrated_lufs:.1f} LUFS, {loudness.true_peak_dbtp:.1f} dBTP".replace("-", "−")
    return f"{out.name}: {sheet.format}, {figures}. " + (sheet.reason or "On target.")
