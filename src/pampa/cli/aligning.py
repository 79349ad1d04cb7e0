"""`pampa align`."""

import json
import sys
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from pampa.core.errors import PampaError, SignalError
from pampa.core.files.whole import whole
from pampa.core.sound import SEGMENT_S, ArraySource
from pampa.core.sync.align import Alignment, align_sounds
from pampa.core.sync.clocked import clocked, clocked_frames
from pampa.core.sync.features import at_work_rate
from pampa.one_file.reading import decoded


def align_files(reference: Path, files: list[Path], write: Path | None, *, as_json: bool) -> int:
    """Line files up with a reference: 0 when all matched, 3 when one did not, 2 for bad input."""
    try:
        with decoded(reference) as source:
            against, length_s = at_work_rate(source), source.frames / source.rate
        if write:
            write.mkdir(parents=True, exist_ok=True)
            _refuse_overwriting(reference, files, write)
        tracks = []
        for path in files:
            with decoded(path) as source:
                found = align_sounds(against, at_work_rate(source))
                tracks.append((path, found))
                if write and found.matched:
                    write_lined_up(source, found, write / f"{path.stem}.wav", length_s)
    except (PampaError, OSError) as error:
        message = str(error) if isinstance(error, PampaError) else f"{write} could not be written: {error.strerror}."
        print(json.dumps({"error": message}) if as_json else message, file=sys.stdout if as_json else sys.stderr)
        return 2
    if as_json:
        print(json.dumps({"tracks": [as_row(path, found) for path, found in tracks]}))
    else:
        for path, found in tracks:
            print(sentence(path, found))
    return 0 if all(found.matched for _, found in tracks) else 3


def _refuse_overwriting(reference: Path, files: list[Path], write: Path) -> None:
    for path in [reference, *files]:
        target = write / f"{path.stem}.wav"
        if target.exists() and target.samefile(path):
            raise SignalError(f"{target} is one of the originals. Nothing was written; choose another folder.")


def as_row(path: Path, found: Alignment) -> dict[str, Any]:
    """One track of the JSON: reference_time = offset_s + local_time * (1 + drift_ppm * 1e-6)."""
    return {
        "file": str(path),
        "offset_s": round(found.clock.offset_s, 6) if found.matched else None,
        "drift_ppm": round(found.clock.drift_ppm, 3) if found.matched else None,
        "confidence": found.confidence,
        "matched": found.matched,
        "breaks": [{"at_s": round(b.at_s, 3), "jump_s": round(b.jump_s, 6)} for b in found.breaks],
        "residual_ms": round(found.residual_ms, 3) if found.matched else None,
        "reason": found.reason,
    }


def sentence(path: Path, found: Alignment) -> str:
    """What was found, for reading."""
    if not found.matched:
        return f"{path.name}: {found.reason}"
    text = (
        f"{path.name}: starts at {found.clock.offset_s:.3f} s, drifts {found.clock.drift_ppm:.1f} ppm, "
        f"lies within {found.residual_ms:.1f} ms, confidence {found.confidence:.2f}."
    )
    for cut in found.breaks:
        text += f" It jumps by {cut.jump_s:.3f} s near {cut.at_s:.0f} s."
    text = text.replace("-", "\u2212") if "-" in text.split(": ", 1)[1] else text
    return f"{text} {found.reason}" if found.reason else text


def write_lined_up(source: ArraySource, found: Alignment, path: Path, length_s: float) -> None:
    """Write a recording on the reference's time, from its beginning to the later of both ends, drift taken out."""
    clock, rate = found.clock, source.rate
    true = clocked(source, clock.drift_ppm)
    edges = [0.0, *(cut.at_s for cut in found.breaks), source.frames / rate]
    shift, place = 0.0, 0
    with whole(path) as making, soundfile.SoundFile(making, "w", rate, source.channels, "PCM_24") as out:
        for index, (start, stop) in enumerate(pairwise(edges)):
            shift += found.breaks[index - 1].jump_s if index else 0.0
            target = round((clock.to_reference(start) + shift) * rate)
            first, last = (clocked_frames(round(edge * rate), clock.drift_ppm) for edge in (start, stop))
            for at in range(first, last, SEGMENT_S * rate):
                block = true.read(at, min(at + SEGMENT_S * rate, last))
                skipped = min(max(place - target, 0), len(block))  # what lies before what is written already
                out.write(np.zeros((max(target - place, 0), source.channels), np.float32))
                out.write(block[skipped:])
                place = max(place, target) + len(block) - skipped
                target += len(block)
        out.write(np.zeros((max(round(length_s * rate) - place, 0), source.channels), np.float32))
