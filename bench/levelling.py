"""Levelling beside general-purpose peers: how even sentences come out, and how far a room is lifted between them.

Six kinds of files with some 8.6 LU between soft and loud sentences, and one that is even, from lines of made
voices. What is true is known, since every sentence is set at its level here.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
import soundfile
import soxr

from pampa.core.loudness import measure_part
from pampa.core.loudness.gating import to_lufs
from pampa.core.sound import RATE, ArraySource
from pampa.core.voice.level_file import levelled

CELL = RATE // 50
LUFS = -23.0
KINDS = ("people", "three people", "sentences", "leaning in", "shouts and whispers", "answers at once", "even")
ROOM_DBFS = -62.0
LOUD_ROOM_DBFS = -45.0
PAUSE_S, MARGIN_S = 1.0, 0.4
"""Pauses of a second and more count, without what lies this close to words."""

Sound = np.ndarray


@dataclass(frozen=True)
class Item:
    """A file with its truth: where each sentence lies, and the pauses that count. Places in frames."""

    name: str
    sound: Sound
    sentences: list[tuple[int, int]]
    pauses: list[tuple[int, int]]


def lines(folder: Path) -> dict[str, list[Sound]]:
    """By voice, its lines at 48 kHz and one loudness."""
    found: dict[str, list[Sound]] = {}
    for path in sorted(folder.glob("*.flac")):
        voice = path.stem.split("-")[1] if "-" in path.stem else path.stem[0]
        sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
        line = soxr.resample(sound[:, :1], rate, RATE)
        lufs = loudness(line)
        if lufs is not None and len(line) > RATE:
            found.setdefault(voice, []).append(line * np.float32(10 ** ((LUFS - lufs) / 20)))
    return found


def loudness(sound: Sound) -> float | None:
    """Of a sentence: blocks within 10 LU of the loudest ones, as a person would judge it."""
    energy = measure_part(np.ascontiguousarray(sound), RATE).energy
    blocks = energy[: energy.size // 10 * 10].reshape(-1, 10).mean(axis=1) if energy.size >= 10 else energy
    heard = blocks[blocks > blocks.mean() / 10]
    return to_lufs(float(heard.mean())) if heard.size else None


def make(kind: str, voices: dict[str, list[Sound]], seed: int, *, loud_room: bool = False, count: int = 24) -> Item:
    """One file of a kind."""
    rng = np.random.default_rng(seed)
    names = sorted(voices)
    levels = {"people": (0, -9), "three people": (0, -5, -10), "answers at once": (0, -9)}.get(kind, (0,))
    parts: list[Sound] = []
    sentences, pauses = [], []
    at = 0

    def put(sound: Sound) -> None:
        nonlocal at
        parts.append(sound)
        at += len(sound)

    put(np.zeros((RATE, 1), np.float32))
    for n in range(count):
        turn = int(rng.integers(len(levels))) if kind != "answers at once" else n % 2
        voice = voices[names[turn % len(names)]]
        db = levels[turn]
        if kind == "sentences":
            db = float(rng.uniform(-5, 5))
        elif kind == "shouts and whispers":
            db = float(rng.choice([0, 0, 0, 6, -7]))
        elif kind == "leaning in":
            db = 5 * np.sin(2 * np.pi * n / 13)
        line = voice[int(rng.integers(len(voice)))] * np.float32(10 ** (db / 20))
        sentences.append((at, at + len(line)))
        put(line)
        long = rng.random() < 0.4
        seconds = (
            0.12 if kind == "answers at once" and not long else rng.uniform(1.2, 3.0) if long else rng.uniform(0.3, 0.9)
        )
        if seconds >= PAUSE_S:
            pauses.append((at + round(MARGIN_S * RATE), at + round((seconds - MARGIN_S) * RATE)))
        put(np.zeros((round(seconds * RATE), 1), np.float32))
    sound = np.concatenate(parts)
    room = rng.standard_normal(sound.shape).astype(np.float32)
    sound = sound + room * np.float32(10 ** ((LOUD_ROOM_DBFS if loud_room else ROOM_DBFS) / 20))
    return Item(f"{kind}{', loud room' if loud_room else ''}", sound, sentences, pauses)


def spread(item: Item, sound: Sound) -> float:
    """Between the softest and the loudest tenth of the sentences, in LU."""
    found = [value for a, b in item.sentences if (value := loudness(sound[a:b])) is not None]
    low, high = np.percentile(found, [10, 90])
    return float(high - low)


def lift(item: Item, sound: Sound) -> float:
    """How far the worst pause comes up, in dB, beyond what the talk as a whole does."""
    talk = np.concatenate([np.arange(a, b) for a, b in item.sentences])
    whole = 10 * np.log10(np.mean(sound[talk] ** 2) / np.mean(item.sound[talk] ** 2))
    lifts = [10 * np.log10(np.mean(sound[a:b] ** 2) / np.mean(item.sound[a:b] ** 2)) for a, b in item.pauses]
    return float(max(lifts) - whole)


def steepest(item: Item, sound: Sound) -> float:
    """The fastest change of gain, in dB a second, over 200 ms, where there is sound to tell it by."""
    frames = len(sound) // CELL * CELL
    before, after = (np.sqrt((x[:frames, 0] ** 2).reshape(-1, CELL).mean(axis=1)) for x in (item.sound, sound))
    gain = 20 * np.log10(np.maximum(after, 1e-9) / np.maximum(before, 1e-9))
    return float(np.abs(gain[10:] - gain[:-10]).max() / 0.2)


def fixed(sound: Sound) -> Sound:
    """One gain for all of it."""
    return sound


def filtered(name: str, arguments: str = "") -> Callable[[Sound], Sound]:
    """A filter of FFmpeg's library."""

    def run(sound: Sound) -> Sound:
        graph = av.filter.Graph()
        source = graph.add_abuffer(sample_rate=RATE, format="fltp", layout="mono", time_base="1/48000")
        node = graph.add(name, arguments)
        sink = graph.add("abuffersink")
        source.link_to(node)
        node.link_to(sink)
        graph.configure()
        out = []

        def drain() -> None:
            while True:
                try:
                    out.append(sink.pull().to_ndarray())
                except (av.error.BlockingIOError, av.error.EOFError):
                    return

        for at in range(0, len(sound), 4800):
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(sound[at : at + 4800].T), format="fltp", layout="mono"
            )
            frame.sample_rate, frame.pts = RATE, at
            source.push(frame)
            drain()
        source.push(None)
        drain()
        return np.concatenate(out, axis=1).T[: len(sound)].astype(np.float32)

    return run


PEERS: dict[str, Callable[[Sound], Sound]] = {
    "one gain": fixed,
    "dynaudnorm": filtered("dynaudnorm"),
    "speechnorm": filtered("speechnorm", "e=6:r=0.0001:l=1"),
    "Pampa": lambda sound: levelled(ArraySource(sound)).read(0, len(sound)),
}


def table(folder: Path, seeds: tuple[int, ...] = (1, 2)) -> None:
    """Print spread and lift of each kind for every peer."""
    voices = lines(folder)
    print(f"{folder}: {len(voices)} voices; spread of sentences, LU / worst lift of a pause, dB / steepest, dB/s")
    print(f"{'':32}{'before':>8}" + "".join(f"{name:>20}" for name in PEERS))
    for kind in KINDS:
        for loud in (False, True):
            rows = {name: [] for name in PEERS}
            before = []
            for seed in seeds:
                item = make(kind, voices, seed, loud_room=loud)
                before.append(spread(item, item.sound))
                for name, peer in PEERS.items():
                    sound = peer(item.sound)
                    rows[name].append((spread(item, sound), lift(item, sound), steepest(item, sound)))
            cells = ["{:.1f} / {:.1f} / {:.0f}".format(*np.mean(found, axis=0)) for found in rows.values()]
            print(
                f"{kind + (', loud room' if loud else ''):32}{np.mean(before):8.1f}"
                + "".join(f"{cell:>20}" for cell in cells)
            )
