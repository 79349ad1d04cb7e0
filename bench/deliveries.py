"""Two hundred deliveries: claps, knocks, laughter, music, channels, rates, levels, lengths, formats, targets.

Each is decoded again and measured; told is how many came out on target under their ceiling, and why the others did not.
"""

import itertools
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np
import soxr

import pampa
from bench.levelling import lines
from bench.made_music import tune
from pampa.core.deliver.formats import Format
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.executor import Threads
from pampa.core.files.deliver import deliver
from pampa.core.files.deliver_set import WantedFile, deliver_all
from pampa.core.sound import RATE, ArraySource, FloatArray

VOICES = Path(pampa.__file__).parent / "demo" / "voices"
FORMATS = (
    Format("wav", 24), Format("wav", 16), Format("flac", 24), Format("mp3", kbit=64), Format("mp3", kbit=160),
    Format("mp3", quality=4), Format("m4a"), Format("opus"), Format("ogg", quality=4),
)  # fmt: skip
TARGETS = (-14.0, -16.0, -19.0, -23.0)
RATES = (48_000, 44_100)
SET_S = 600


def programmes() -> dict[str, FloatArray]:
    """By name, programmes at 48 kHz: one channel or two."""
    rng = np.random.default_rng(5)
    said = [line for voice in lines(VOICES).values() for line in voice]
    talk = np.concatenate([np.pad(line, ((0, RATE // 2), (0, 0))) for line in said[:24]])
    quiet = talk * np.float32(10 ** (-12 / 20))
    made = {
        "talk": talk, "quiet talk, one clap": _struck(quiet, rng, [0.98], 60.0),
        "quiet talk, many knocks": _struck(quiet, rng, rng.uniform(0.2, 0.9, 30), 90.0),
        "talk and laughter": _laughing(talk, rng), "very quiet": talk * np.float32(0.004),
        "very loud": np.tanh(talk * 30).astype(np.float32), "short": talk[: 2 * RATE],
        "much silence": np.concatenate([talk[: 20 * RATE], np.zeros((90 * RATE, 1), np.float32)]),
        "music": tune("band", 3, seconds=40).sound, "talk over music": _over(talk, tune("bed", 2, seconds=40).sound),
        "an hour's clap in a minute": _struck(talk[: 60 * RATE], rng, [0.98, 0.9], 40.0),
        "whisper and shout": _turned(talk, rng),
    }  # fmt: skip
    return {name: np.ascontiguousarray(sound, np.float32) for name, sound in made.items()}


def _struck(sound: FloatArray, rng: np.random.Generator, peaks: object, decay: float) -> FloatArray:
    out = sound.copy()
    t = np.arange(RATE // 4) / RATE
    for peak in peaks:  # type: ignore[attr-defined]
        at = int(rng.integers(0, len(out) - t.size))
        hit = rng.standard_normal(t.size) * np.exp(-t * decay)
        out[at : at + t.size, 0] += (hit / np.abs(hit).max() * peak).astype(np.float32)
    return np.clip(out, -0.98, 0.98)


def _laughing(sound: FloatArray, rng: np.random.Generator) -> FloatArray:
    out = sound.copy()
    for at in rng.integers(0, len(out) - 2 * RATE, 4):
        out[at : at + 2 * RATE] = np.tanh(out[at : at + 2 * RATE] * 8) * 0.9
    return out


def _over(talk: FloatArray, music: FloatArray) -> FloatArray:
    return np.resize(music, (len(talk), 2)) * np.float32(0.3) + talk


def _turned(sound: FloatArray, rng: np.random.Generator) -> FloatArray:
    steps = np.repeat(rng.choice([0.05, 0.3, 1.5], len(sound) // (5 * RATE) + 1), 5 * RATE)[: len(sound)]
    return np.clip(sound * steps[:, None].astype(np.float32), -0.99, 0.99)


def main() -> None:
    """Deliver every programme in every format, with targets and rates in turn; print what came of it."""
    executor = Threads(2)
    met, all_, why = Counter[str](), Counter[str](), []
    over: list[float] = []
    turns = itertools.cycle(itertools.product(TARGETS, RATES))
    with tempfile.TemporaryDirectory() as folder:
        for name, sound in programmes().items():
            for fmt, two in itertools.product(FORMATS, (False, True)):
                target, rate = next(turns)
                sheet = _made(sound, fmt, two, target, rate, Path(folder), executor)
                all_[fmt.kind] += 1
                met[fmt.kind] += sheet.met
                over.append((sheet.loudness.true_peak_dbtp or -99) + 1.0)
                if not sheet.met:
                    why.append(f"  {name}, {fmt.label}, {rate} Hz, {target:.0f} LUFS: {sheet.reason}")
    print(
        f"{sum(met.values())} of {sum(all_.values())} on target: "
        + ", ".join(f"{k} {met[k]} of {all_[k]}" for k in all_)
    )
    print(f"highest peak {max(over):+.2f} dB against the ceiling")
    print("\n".join(why))
    a_set(executor)


def a_set(executor: Threads) -> None:
    """Five files of one programme, together and one after another: both as a share of its length."""
    sound = np.resize(programmes()["talk over music"], (SET_S * RATE, 2))
    source = ArraySource(sound)
    fmts = [Format("mp3"), Format("mp3", kbit=96), Format("m4a"), Format("opus"), Format("flac", 24)]
    with tempfile.TemporaryDirectory() as folder:
        wanted = [
            WantedFile(Path(folder) / f"{n}.{fmt.kind}", fmt, Aim(-19.0 if n == 1 else -16.0), mono=n == 1)
            for n, fmt in enumerate(fmts)
        ]
        sheets: dict[int, DeliverySheet] = {}
        began = time.perf_counter()
        deliver_all(source, wanted, executor=executor, made=lambda n, sheet: sheets.update({n: sheet}))
        together = time.perf_counter() - began
        encoders = sum(sheet.encoder_s for sheet in sheets.values())
        began = time.perf_counter()
        for each in wanted:
            deliver_all(source, [each], executor=executor, made=lambda n, sheet: None)
        alone = time.perf_counter() - began
    print(
        f"five files of {SET_S // 60} min: {SET_S / together:.1f} x real time together, {SET_S / alone:.1f} one after "
        f"another; the encoders alone took {encoders:.0f} s of two cores' {2 * together:.0f}"
    )
    for sheet in sheets.values():
        print(f"  {sheet.format:<18} encoder {SET_S / sheet.encoder_s:.0f} x real time, {sheet.rounds} round(s)")


def _made(sound: FloatArray, fmt: Format, two: bool, target: float, rate: int, folder: Path, executor: Threads
          ) -> DeliverySheet:  # fmt: skip
    if two and sound.shape[1] == 1:
        sound = np.repeat(sound, 2, axis=1)
    rate = RATE if fmt.kind == "opus" else rate
    if rate != RATE:
        sound = soxr.resample(sound, RATE, rate)
    path = folder / f"out.{fmt.kind}"
    return deliver(
        ArraySource(np.ascontiguousarray(sound, np.float32), rate), path, fmt, Aim(target, -1.0), executor=executor
    )


if __name__ == "__main__":
    main()
