"""What an editor really receives: the raw recordings of the sample episode, made from dry lines with a seed."""

import json
import multiprocessing
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr

from pampa.demo import effects, music
from pampa.demo.past import write_past
from pampa.demo.quay import quay
from pampa.demo.synthesis import (
    RATE as MUSIC_RATE,
)  # fmt: skip
from pampa.demo.synthesis import (
    Mono,
    band,
    coloured_noise,
    frames_of,
    in_room,
    mixed_in,
    room,
)

VOICES = Path(__file__).parent / "voices"
RATE = 48_000
SEED = 1207
LENGTH_S = 347.0
ANDERS_OFFSET_S = 4.7
ANDERS_CLOCK_PPM = 38.0
"""Anders's recorder counts this many frames too many: his clock runs fast."""
CALL_DELAY_S = 0.18
DROP_OUTS = ((88.4, 0.35), (251.2, 0.22))
HUM_HZ = 50.0
MARISOL, ANDERS, NOLA = "Marisol Vey", "Anders Quill", "Nola Brant"


@dataclass
class Truth:
    """What is known because it was made so. Kept beside the demo for tests; the application never reads it."""

    anders_offset_s: float = ANDERS_OFFSET_S
    anders_drift_ppm: float = -ANDERS_CLOCK_PPM
    call_delay_s: float = CALL_DELAY_S
    drop_outs: list[list[float]] = field(default_factory=lambda: [list(d) for d in DROP_OUTS])
    hum_hz: float = HUM_HZ
    kitchen_floor_dbfs: float = -54.0
    events: list[dict[str, Any]] = field(default_factory=list)
    spot_starts_s: float = 0.0


def assemble(folder: Path) -> Truth:
    """Write all files of the sample into `folder` and return the truth about them.

    Each file has a seed of its own, so they can be made side by side and come out the same.
    """
    folder.mkdir(parents=True, exist_ok=True)
    lines = json.loads((VOICES / "lines.json").read_text())
    spot = [line for line in lines if line["speaker"] == NOLA]
    truth = Truth(events=_events(lines), spot_starts_s=spot[0]["start_s"] - 0.3)
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("fork")) as pool:
        makers = (_call, _anders, _marisol, _music, _past, _quay, _small)
        for made in [pool.submit(make, folder, lines) for make in makers]:
            made.result()
    (folder / "truth.json").write_text(json.dumps(asdict(truth), indent=1))
    return truth


Lines = list[dict[str, Any]]


def _music(folder: Path, lines: Lines) -> None:
    for name in ("theme", "bed", "sting"):
        _write(folder / f"{name}.flac", getattr(music, name)(), MUSIC_RATE, "PCM_16")
    for name in ("fog_signal", "gulls", "rope", "engine"):
        _write(folder / f"{name}.flac", getattr(effects, name)(), MUSIC_RATE, "PCM_16")


def _past(folder: Path, lines: Lines) -> None:
    write_past(folder, lines, VOICES)


def _quay(folder: Path, lines: Lines) -> None:
    quay(folder / "quay.mp4")


def _small(folder: Path, lines: Lines) -> None:
    """The sponsor spot, and the room with nobody in it."""
    rng = np.random.default_rng([SEED, 4])
    own = [line for line in lines if line["speaker"] == NOLA]
    first, last = frames_of(own[0]["start_s"] - 0.3, RATE), frames_of(_end(own[-1]) + 0.4, RATE)
    spot = in_room(_dry(lines, NOLA)[first:last], room(rng, 0.18, rate=RATE, level=0.12)) * 0.7
    _write(folder / "nola_spot.wav", spot + 10 ** (-70 / 20) * coloured_noise(rng, spot.size, 3), RATE, "PCM_24")
    tone = 10 ** (-54 / 20) * coloured_noise(rng, frames_of(20.0, RATE), 4.0)
    _write(folder / "room_sandhaven.wav", band(tone, 40, 9000, rate=RATE), RATE, "PCM_24")


def _dry(lines: list[dict[str, Any]], speaker: str) -> Mono:
    out = np.zeros(frames_of(LENGTH_S, RATE))
    for line in lines:
        if line["speaker"] == speaker:
            sound, rate = soundfile.read(VOICES / line["file"])
            mixed_in(out, soxr.resample(sound, rate, RATE), frames_of(line["start_s"], RATE))
    return out


def _marisol(folder: Path, lines: Lines) -> None:
    """A good microphone, close and a little low, with hum, thumps on P, and Anders leaking from the headphones."""
    rng = np.random.default_rng([SEED, 1])
    own, other = _dry(lines, MARISOL), _dry(lines, ANDERS)
    t = np.arange(own.size) / RATE
    out = in_room(own, room(rng, 0.16, rate=RATE, level=0.1)) * 10 ** (-7 / 20)
    for k, level in ((1, -61), (2, -68), (3, -64), (4, -76), (5, -70), (7, -78)):
        out += 10 ** (level / 20) * np.sin(2 * np.pi * HUM_HZ * k * t + k)
    for at in _onsets(own, rng, 14):
        out_at = np.arange(frames_of(0.11, RATE)) / RATE
        thump = np.sin(2 * np.pi * rng.uniform(38, 70) * out_at) * np.exp(-out_at * 32) * np.minimum(out_at * 250, 1)
        mixed_in(out, thump, at, rng.uniform(0.12, 0.22))
    bleed = band(other, 300, 6000, rate=RATE)
    mixed_in(out, bleed, frames_of(0.004, RATE), 10 ** (-40 / 20))
    out += 10 ** (-69 / 20) * coloured_noise(rng, own.size, 2.0)
    _write(folder / "marisol_local.wav", out, RATE, "PCM_24")


def _anders(folder: Path, lines: Lines) -> None:
    """A kitchen: 9 dB quieter, hard walls, a fan, and a dry mouth. One signal on both sides, by a fast clock."""
    rng = np.random.default_rng([SEED, 2])
    own, other = _dry(lines, ANDERS), _dry(lines, MARISOL)
    out = in_room(own, room(rng, 0.38, rate=RATE, level=0.42)) * 10 ** (-10 / 20)
    fan = band(coloured_noise(rng, own.size, 4.5), 60, 6000, rate=RATE)
    t = np.arange(own.size) / RATE
    fan *= 1 + 0.08 * np.sin(2 * np.pi * 0.37 * t)
    fan += 0.25 * np.sin(2 * np.pi * 117.0 * t) + 0.12 * np.sin(2 * np.pi * 234.0 * t)
    out += 10 ** (-54 / 20) * fan / np.sqrt(np.mean(fan**2))
    for at in _onsets(own, rng, 40):
        click = rng.standard_normal(frames_of(0.0025, RATE)) * np.hanning(frames_of(0.0025, RATE))
        mixed_in(out, click, max(at - frames_of(rng.uniform(0.05, 0.2), RATE), 0), rng.uniform(0.015, 0.05))
    mixed_in(out, band(other, 300, 5000, rate=RATE), frames_of(0.003, RATE), 10 ** (-46 / 20))
    local = out[frames_of(ANDERS_OFFSET_S, RATE) :]
    local = soxr.resample(local, RATE, 44_100 * (1 + ANDERS_CLOCK_PPM * 1e-6), quality="VHQ")
    _write(folder / "anders_local.wav", np.stack([local, local], axis=1), 44_100, "PCM_16")


def _call(folder: Path, lines: Lines) -> None:
    """The call's own recording: narrow, squeezed, late, with gaps. Left Marisol, right Anders."""
    rng = np.random.default_rng([SEED, 3])
    sides = []
    for speaker, delay in ((MARISOL, 0.02), (ANDERS, CALL_DELAY_S)):
        own = _dry(lines, speaker)
        narrow = band(own, 280, 3500, rate=RATE, order=4)
        envelope = np.sqrt(band(narrow**2, None, 8, rate=RATE, order=1).clip(1e-9))
        squeezed = narrow * (0.12 / np.maximum(envelope, 0.02)) ** 0.55
        late = np.zeros(own.size)
        mixed_in(late, squeezed, frames_of(delay, RATE), 0.8)
        for at, length in DROP_OUTS:
            late[frames_of(at, RATE) : frames_of(at + length, RATE)] = 0
        sides.append(late + 10 ** (-60 / 20) * band(coloured_noise(rng, own.size, 1.0), 300, 3400, rate=RATE))
    _write(folder / "call_backup.wav", np.stack(sides, axis=1), RATE, "PCM_16")


def _onsets(sound: Mono, rng: np.random.Generator, count: int) -> list[int]:
    """Places where a phrase begins, some of them."""
    cells = np.abs(sound[: sound.size // 480 * 480]).reshape(-1, 480).max(axis=1) > 0.03
    quiet = np.convolve(cells, np.ones(20), "full")[: cells.size] - cells
    starts = np.flatnonzero(cells & (quiet == 0)) * 480
    return sorted(rng.choice(starts, min(count, starts.size), replace=False).tolist())


def _events(lines: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Every filler, breath, restart and the rest on the episode's time."""
    return [
        {"speaker": line["speaker"], "kind": part["kind"], "text": part["text"],
         "start_s": round(line["start_s"] + part["start_s"], 4), "end_s": round(line["start_s"] + part["end_s"], 4)}
        for line in lines for part in line["segments"] if part["kind"] != "speech"
    ]  # fmt: skip


def _end(line: dict[str, Any]) -> float:
    return float(line["start_s"] + line["duration_s"])


def _write(path: Path, sound: Mono, rate: int, subtype: str) -> None:
    soundfile.write(path, np.clip(sound, -0.999, 0.999), rate, subtype=subtype)
