"""Music around the talk: ducking beside a peer, beats on ten manners of playing, lengths, rooms.

The peer for ducking is FFmpeg's sidechaincompress, set for 12 dB as its users set it. For beats it is librosa's
tracker, where that is installed: `.venv/bin/python -m pip install librosa`; Pampa itself does not need it.
"""

import sys
import time
from functools import partial
from pathlib import Path

import av
import numpy as np
import scipy

import pampa
from bench.levelling import lines
from bench.made_music import PLAYED, Tune, f_measure, tune
from bench.under_talk import CELL, Case, run
from pampa.core.executor import Inline, Threads
from pampa.core.loudness import measure_source
from pampa.core.mix.distance import NOBODY
from pampa.core.mix.plan import plan_of
from pampa.core.mix.render import Mix
from pampa.core.mix.room import DECAYS_S, DELAYS_S, OCTAVES_HZ, Reverb, impulse
from pampa.core.mix.steps import steps_back
from pampa.core.mix.under_file import laid_under
from pampa.core.music.bars import bar_starts, bars_of
from pampa.core.music.beats import beats_of
from pampa.core.music.fit import NotThatLong, way_of_length
from pampa.core.music.fitted import fitted
from pampa.core.music.onsets import onsets_of
from pampa.core.rendition import Rendition
from pampa.core.sound import RATE, ArraySource, Segment, segments
from pampa.core.timeline.document import Clip, Document, Send, Track, Under

SAMPLE = Path(pampa.__file__).parent / "demo" / "voices"
ASKED_LU = 14.0
SEEDS, PIECES = range(2), 24
LENGTHS_S = (15.0, 22.2, 31.7, 60.0, 95.5)


def own_gain(made: Case) -> np.ndarray:
    """The gain of Pampa for each frame of a case's music."""
    laid = laid_under(ArraySource(made.talk), ArraySource(made.music), Under(ASKED_LU), executor=Inline())
    middles = (np.arange(laid.gain_db.size) + 0.5) * CELL
    return np.asarray(10 ** (np.interp(np.arange(len(made.talk)), middles, laid.gain_db) / 20))


def peer_gain(made: Case) -> np.ndarray:
    """That of FFmpeg's sidechaincompress: of a steady tone in the music's place, so that its gain can be read off."""
    tone = np.sin(2 * np.pi * 6000 * np.arange(len(made.talk)) / RATE).astype(np.float32)[:, None]
    level = 10 ** (np.log10(max(float(np.sqrt(np.mean(made.music**2))), 1e-6)))
    graph = av.filter.Graph()
    inputs = [graph.add_abuffer(sample_rate=RATE, format="fltp", layout="mono", time_base="1/48000") for _ in range(2)]
    node = graph.add("sidechaincompress", "threshold=0.02:ratio=8:attack=80:release=1000:level_sc=1:makeup=1")
    sink = graph.add("abuffersink")
    inputs[0].link_to(node, 0, 0)
    inputs[1].link_to(node, 0, 1)
    node.link_to(sink)
    graph.configure()
    for source, sound in zip(inputs, (tone * np.float32(level), made.talk), strict=True):
        for at in range(0, len(sound), 1024):
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound[at : at + 1024].T), "fltp", "mono")
            frame.sample_rate, frame.pts = RATE, at
            source.push(frame)
        source.push(None)
    out = []
    while True:
        try:
            out.append(sink.pull().to_ndarray()[0])
        except (av.error.EOFError, av.error.BlockingIOError):
            break
    heard = np.concatenate(out)[: len(made.talk)]
    power = scipy.ndimage.uniform_filter1d(heard.astype(np.float64) ** 2, RATE // 200)
    gain = np.sqrt(2 * np.maximum(power, 1e-12)) / level
    return np.pad(gain, (0, len(made.talk) - gain.size), "edge")


def ducking(folder: Path) -> None:
    voices = lines(folder)
    for name, gain in (("Pampa, 14 LU under", own_gain), ("FFmpeg sidechaincompress", peer_gain)):
        told = run(gain, voices, SEEDS, ASKED_LU)
        print(f"  {name:<26} " + ", ".join(f"{what} {value}" for what, value in told.items()))


def beating() -> None:
    peer = _librosa()
    for manner in PLAYED:
        tunes = [tune(manner, 100 + seed) for seed in range(PIECES)]
        own = [_own_beats(made) for made in tunes]
        told = f"beats {np.mean([f[0] for f in own]):.3f}, bars {np.mean([f[1] for f in own]):.3f}"
        if peer:
            told += f"; librosa {np.mean([f_measure(peer(made), made.beats_s) for made in tunes]):.3f}"
        print(f"  {manner:<9} {told}", flush=True)


def _own_beats(made: Tune) -> tuple[float, float]:
    onsets = onsets_of(ArraySource(made.sound))
    beats = beats_of(onsets)
    bars = bar_starts(beats, bars_of(onsets, beats))
    return f_measure(beats.beats_s, made.beats_s), f_measure(bars, made.bars_s)


def _librosa():  # type: ignore[no-untyped-def]
    try:
        import librosa
    except ImportError:
        return None

    def beats(made: Tune) -> np.ndarray:
        mono = librosa.resample(made.sound.mean(axis=1), orig_sr=RATE, target_sr=22050)
        return librosa.beat.beat_track(y=mono, sr=22050, units="time")[1]

    return beats


def lengths() -> None:
    off, jumps, worst, refused = [], [], [], 0
    for manner in PLAYED:
        source = ArraySource(tune(manner, 7).sound)
        onsets = onsets_of(source)
        beats = beats_of(onsets)
        bars = bars_of(onsets, beats)
        for wanted in LENGTHS_S:
            try:
                way = way_of_length(onsets, beats.beats_s, bars and bars[0], source.frames / RATE, wanted)
            except NotThatLong:
                refused += 1
                continue
            sound = fitted(source, way, round(wanted * RATE), steady=beats.beats_s.size > 0)
            off.append(abs(len(sound) / RATE - wanted))
            jumps.append(len(way.jumps))
            worst.append(way.worst)
    print(f"  {len(off)} made, {refused} refused; off by {1000 * max(off):.2f} ms at most; jumps "
          f"{np.median(jumps):.0f} (median); unlike {np.median(worst):.2f}, {max(worst):.2f} at most")  # fmt: skip


def rooms() -> None:
    for name, decays in DECAYS_S.items():
        response = impulse(name).astype(float)[round(DELAYS_S[name] * RATE) :]
        errors = [
            100 * abs(_decay_s(response[:, side], hz) / decay - 1)
            for side in (0, 1) for hz, decay in zip(OCTAVES_HZ, decays, strict=True)
        ]  # fmt: skip
        early = response[: RATE // 20, 0]
        dense = np.mean(np.abs(early[960:]) > early[960:].std()) / 0.3173
        sound = np.random.default_rng(1).standard_normal((1 << 18, 2)).astype(np.float32)
        began = time.perf_counter()
        Reverb(name).work(sound)
        speed = len(sound) / RATE / (time.perf_counter() - began)
        print(
            f"  {name:<6} decay off by {max(errors):.1f} % at most, echo density {dense:.2f}, {speed:.0f} x real time"
        )


def _decay_s(response: np.ndarray, hz: float) -> float:
    """Seconds for 60 dB in an octave, from 5 to 35 dB of the backward integral (Schroeder 1965)."""
    band = scipy.signal.butter(6, [hz / 2**0.5, hz * 2**0.5], "bandpass", fs=RATE, output="sos")
    power = np.cumsum(scipy.signal.sosfiltfilt(band, response)[::-1] ** 2)[::-1]
    db = 10 * np.log10(power / power[0] + 1e-12)
    first, last = int(np.argmax(db < -5)), int(np.argmax(db < -35))
    return float(-60 / np.polyfit(np.arange(first, last) / RATE, db[first:last], 1)[0])


def speeds() -> None:
    minutes = 10
    talk = ArraySource(np.resize(np.concatenate([line for lines_ in lines(SAMPLE).values() for line in lines_]),
                                 (minutes * 60 * RATE, 1)))  # fmt: skip
    music = ArraySource(np.resize(tune("band", 1).sound, (minutes * 60 * RATE, 2)))
    executor = Threads(2)
    measure_source(music, executor)
    began = time.perf_counter()
    laid_under(talk, music, Under(), executor=executor)
    print(f"  a distance under {minutes} min of talk: {minutes * 60 / (time.perf_counter() - began):.0f} x real time")
    began = time.perf_counter()
    beats_of(onsets_of(music, executor))
    print(f"  beats of {minutes} min: {minutes * 60 / (time.perf_counter() - began):.0f} x real time")
    mix = episode(minutes * 60 * RATE, talk, music)
    mix.read(0, RATE)  # the room is worked out once
    began = time.perf_counter()
    for _ in executor.map(partial(_read, mix), segments(mix.frames)):
        pass
    print(f"  mix of {minutes} min, three people, music under them, a room: "
          f"{minutes * 60 / (time.perf_counter() - began):.0f} x real time")  # fmt: skip


def _read(mix: Mix, segment: Segment) -> None:
    mix.read(segment.start, segment.stop)


def episode(frames: int, talk: ArraySource, music: ArraySource) -> Mix:
    """Three people in clips of seven seconds each, music at a distance under them, and half of it to the hall."""
    piece = 7 * RATE
    sounds = [Rendition(str(number)) for number in range(1, 5)]
    people = tuple(
        Track(number, f"Person {number}", "person", tuple(
            Clip(1000 * number + index, number, start, start, min(piece, frames - start))
            for index, start in enumerate(range(0, frames, piece))))
        for number in (1, 2, 3)
    )  # fmt: skip
    playing = Clip(9000, 4, 0, 0, frames, -6.0, sends=(Send("room", -6.0),))
    document = Document((*people, Track(4, "Music", "music", (playing,), under=Under(ASKED_LU))))
    played = measure_source(music, Inline()).energy
    spoken = np.where(np.arange(frames // CELL) % 400 < 350, -20.0, NOBODY)
    steps = steps_back(document, {}, {(number, number): spoken for number in (1, 2, 3)}, {4: played})
    heard = {(number, number): sounds[number - 1] for number in range(1, 5)}
    plan = plan_of(document, heard, levels={}, frames=dict.fromkeys(range(1, 5), frames))
    return Mix(plan, {sound: music if sound == sounds[3] else talk for sound in sounds}, steps)


def main() -> None:
    """The bench over the sample's voices, or those in folders that are named."""
    for folder in [Path(name) for name in sys.argv[2:]] or [SAMPLE]:
        print(f"ducking, voices of {folder.name}")
        ducking(folder)
    print("beats: F-measure within 70 ms, 60 to 180 beats a minute, rubato and swing")
    beating()
    print("fit to length")
    lengths()
    print("rooms")
    rooms()
    print("speed, two cores")
    speeds()


if __name__ == "__main__":
    main()
