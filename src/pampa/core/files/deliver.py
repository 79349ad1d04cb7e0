"""Sending out one file: solve, encode, decode again, measure, and correct until the file itself is right."""

import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np

from pampa.core.deliver.chapters import Timed, timed
from pampa.core.deliver.formats import Format
from pampa.core.deliver.sheet import TOLERANCE_LU, DeliverySheet, is_met, sheet_of
from pampa.core.deliver.solve import METERS_DIFFER_DB, Aim, Solution, at_gain, measure_parts, solve
from pampa.core.errors import SignalError
from pampa.core.executor import Executor, Inline
from pampa.core.files.decode import read_sound
from pampa.core.files.encode import encode
from pampa.core.files.opened import SoundFile
from pampa.core.files.tags import Tags, write_tags
from pampa.core.files.wave_writing import Broadcast, write_broadcast, write_cues
from pampa.core.files.whole import whole
from pampa.core.loudness import Loudness, LoudnessPart, measure_part, merge, summarise
from pampa.core.loudness.kernels import EDGE
from pampa.core.loudness.measure import RUN_IN_S
from pampa.core.sound import SEGMENT_S, FloatArray, Source, read_segment, segments

ROUNDS = 10
OVER_AGAIN_DB = 0.05
"""By so much more than it was over the ceiling is lowered, since another peak may be the highest then."""
REHEARSED_SEGMENTS = 3
PEAKS_VARY_DB = 0.4
"""How much more an encoder may add to the peaks of the whole than to those of a rehearsal."""

Progress = Callable[[str, float], None]
"""Told what is being done and how far it is, 0 to 1. It may raise Cancelled to stop."""


def deliver(
    source: Source, path: Path, fmt: Format, aim: Aim, *, tags: Tags | None = None,
    executor: Executor | None = None, parts: list[LoudnessPart] | None = None,
    progress: Progress = lambda doing, share: None,
) -> DeliverySheet:  # fmt: skip
    """Write `source` to `path` at its target loudness.

    The gain is solved on the sound, then on the file as decoded again: an encoder may change the level and
    raise the peaks. The file appears under its name when it is whole; when anything fails, nothing does.

    parts : the measurement of the source by segments, if it is known already.
    Raises SignalError if the format cannot hold the sound.
    """
    fmt = fmt.checked(rate=source.rate, channels=source.channels)
    if not source.frames:
        raise SignalError("There is nothing to deliver: it has no length. Nothing was written.")
    executor = executor or Inline()
    progress("Measuring", 0.0)
    parts = parts or measure_parts(source, executor)
    encoder_s, rounds = 0.0, 0
    chapters = timed(tags.chapters, source.frames / source.rate) if tags else ()
    with whole(path) as making:
        extra_gain, extra_room = _rehearse(source, parts, making, fmt, aim, executor, progress)
        progress("Finding the gain", 0.0)
        solution = solve(source, parts, aim, executor, extra_gain_db=extra_gain, extra_room_db=extra_room)
        for rounds in range(1, ROUNDS + 1):
            encoder_s += _write(source, solution, making, fmt, chapters, executor, progress)
            progress("Measuring the file", 0.0)
            decoded, frames = measure_file(making)
            loudness = summarise(decoded)
            if loudness.integrated_lufs is None or loudness.true_peak_dbtp is None or rounds == ROUNDS:
                break
            over_db = loudness.true_peak_dbtp - aim.ceiling_dbtp
            on_target = is_met(loudness, aim) and _close(loudness.integrated_lufs, aim)
            if on_target or (solution.shortfall and over_db <= 0):
                break
            # The file follows the gain evenly, so the gain itself is corrected by what the file is off; and the ceiling
            # that the encoder is given goes down until the file as decoded keeps to its own.
            off_db = 0.0 if solution.shortfall else aim.target_lufs - loudness.integrated_lufs
            extra_room += max(over_db + OVER_AGAIN_DB, 0.0)
            hard_db = aim.ceiling_dbtp - extra_room
            corrected = at_gain(source, parts, solution.gain_db + off_db, hard_db - METERS_DIFFER_DB, hard_db, executor)
            solution = replace(corrected, shortfall=solution.shortfall)
        _tell(making, fmt, tags, chapters, loudness, source.rate)
        size = making.stat().st_size
    frames = min(frames, source.frames)  # a decoder gives the last packet of AAC whole; its header ends it before
    return sheet_of(
        decoded, aim, solution, fmt, rate=source.rate, channels=source.channels, duration_s=frames / source.rate,
        size_bytes=size, rounds=rounds, encoder_s=encoder_s,
    )  # fmt: skip


def _tell(
    path: Path, fmt: Format, tags: Tags | None, chapters: tuple[Timed, ...], loudness: Loudness, rate: int
) -> None:
    """Write into a finished file what is to be known of it."""
    if fmt.kind == "wav" and fmt.broadcast:
        told = Broadcast() if tags is None else Broadcast(f"{tags.show}: {tags.title}".strip(": "), date=tags.date)
        write_broadcast(path, told, loudness)
    if fmt.kind == "wav":
        write_cues(path, chapters, rate)
    if tags:
        write_tags(path, tags, chapters)


def _rehearse(
    source: Source, parts: list[LoudnessPart], path: Path, fmt: Format, aim: Aim, executor: Executor, progress: Progress
) -> tuple[float, float]:
    """What the encoder takes from the level and adds to the peaks, in dB, tried on the loudest segments alone.

    A lossless format does neither. The whole file is measured afterwards all the same; this saves encoding an
    hour twice to learn what a minute tells.
    """
    if not fmt.lossy:
        return 0.0, 0.0
    progress("Trying the encoder", 0.0)
    solution = solve(source, parts, aim, executor)
    grid = list(segments(source.frames, source.rate))
    loudest = sorted(grid, key=lambda s: -parts[s.index].true_peak)[:REHEARSED_SEGMENTS]
    limited = solution.apply(source)
    trial = join_frames([limited.read(s.start, s.stop) for s in sorted(loudest, key=lambda s: s.index)])
    encode(path, [trial], fmt, rate=source.rate, channels=source.channels)
    before, after = summarise(measure_part(trial, source.rate)), summarise(measure_file(path)[0])
    if before.integrated_lufs is None or after.integrated_lufs is None or after.true_peak_dbtp is None:
        return 0.0, 0.0
    gain = before.integrated_lufs - after.integrated_lufs
    return gain, max(after.true_peak_dbtp + gain - aim.ceiling_dbtp + PEAKS_VARY_DB, 0.0)


def _close(integrated: float | None, aim: Aim) -> bool:
    """Well inside the tolerance, so that another meter agrees."""
    return integrated is not None and abs(integrated - aim.target_lufs) <= TOLERANCE_LU / 2


def finished(source: Source, solution: Solution, executor: Executor) -> Iterator[FloatArray]:
    """The programme with gain and limiter, segment by segment: what the encoder is given."""
    limited = solution.apply(source)
    grid = segments(source.frames, source.rate)
    return executor.map(partial(read_segment, limited), grid)


def _write(
    source: Source, solution: Solution, path: Path, fmt: Format, chapters: tuple[Timed, ...], executor: Executor,
    progress: Progress,
) -> float:  # fmt: skip
    """Encode the programme; returns the seconds that the encoder itself took."""
    waiting = 0.0
    done = 0

    def blocks() -> Iterator[FloatArray]:
        nonlocal waiting, done
        began = time.perf_counter()
        for block in finished(source, solution, executor):
            waiting += time.perf_counter() - began
            yield block
            done += len(block)
            progress("Writing", done / source.frames)
            began = time.perf_counter()

    began = time.perf_counter()
    encode(path, blocks(), fmt, rate=source.rate, channels=source.channels, chapters=chapters)
    return time.perf_counter() - began - waiting


def measure_file(path: Path) -> tuple[LoudnessPart, int]:
    """Measure a file of any length while it is read: its energies and peaks, and its length in frames."""
    return read_sound(path, _measured)


def _measured(sound: SoundFile) -> tuple[LoudnessPart, int]:
    parts: list[LoudnessPart] = []
    size, lead, frames = SEGMENT_S * sound.rate, round(RUN_IN_S * sound.rate), 0
    for before, piece, after in _with_context(sound.blocks, size, lead):
        joined = join_frames([before, piece, after])
        parts.append(measure_part(joined, sound.rate, lead=len(before), frames=len(piece)))
        frames += len(piece)
    return merge(parts), frames


def _with_context(
    blocks: Iterator[FloatArray], size: int, lead: int
) -> Iterator[tuple[FloatArray, FloatArray, FloatArray]]:
    """Segments of a stream, each with the frames before that settle the filter and the few after it."""
    held: list[FloatArray] = []
    count = 0
    before: FloatArray | None = None
    for block in blocks:
        held.append(block)
        count += len(block)
        while count >= size + EDGE:
            joined = join_frames(held)
            before = joined[:0] if before is None else before
            yield before, joined[:size], joined[size : size + EDGE]
            before, held, count = joined[size - lead : size], [joined[size:]], count - size
    if held:
        rest = join_frames(held)
        yield (rest[:0] if before is None else before), rest[:size], rest[size:]
        if len(rest) > size:
            yield rest[size - lead : size], rest[size:], rest[:0]


def join_frames(pieces: list[FloatArray]) -> FloatArray:
    """One array of several that follow one another."""
    return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)
