"""Files of every kind that is brought into an episode, to tell by their sound: talk, music, effects, rooms, spots.

Music is played by fluidsynth from sound fonts of Debian packages, by the rules of chords and metres; songs are lines of
talk sung by linear prediction; effects and ambience are made here. Everything is seeded. Speakers, sound fonts, rooms
and effects are divided into those that are learned from and those that are only asked about at the end.
"""

import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import optimize, signal

from pampa.core.purpose.evidence import evidence_of
from pampa.core.purpose.kind import SURE, TOLD, terms
from pampa.core.sound import ArraySource
from training.material import heard_in, room, talk

RATE = 48_000
Sound = NDArray[np.float64]
FONTS = {"learn": "/usr/share/sounds/sf2/TimGM6mb.sf2", "ask": "/usr/share/sounds/sf2/FluidR3_GM.sf2"}
SPOT_EFFECTS = {"learn": (122, 124, 126), "ask": (123, 125, 127)}
"""Programs of the General MIDI list that are effects: sea, telephone, applause; bird, helicopter, shot."""
LEARNED = ("slam", "bell", "beep", "engine", "rain", "steps", "horn", "sweep", "waves", "birds", "font")
ASKED = ("siren", "splash", "clock", "bark", "saw", "font")
STYLES = ("piano", "band", "strings", "synth", "guitar", "brass", "bells", "drums", "drone")
PROGRAMS = {
    "piano": ((0, 1, 4), ()), "band": ((27, 33, 16), ("kit",)), "strings": ((48, 42, 71), ()),
    "synth": ((81, 38, 89), ("kit",)), "guitar": ((24, 25, 32), ()), "brass": ((61, 57, 58), ("kit",)),
    "bells": ((9, 11, 13), ()), "drums": ((), ("kit",)), "drone": ((91, 92, 95), ()),
}  # fmt: skip


def music(rng: np.random.Generator, seconds: float, part: str, folder: Path) -> Sound:
    """Chords, a bass and a tune in a metre, or drums alone."""
    style = STYLES[rng.integers(len(STYLES))]
    programs, kit = PROGRAMS[style]
    beat = 60 / rng.uniform(62, 168)
    root = int(rng.integers(45, 58))
    scale = np.array([(0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10)][rng.integers(2)])
    chords = rng.integers(0, 6, 4)
    events: list[tuple[float, str]] = [(0.0, f"select {c} 0 0 {p}") for c, p in enumerate(programs)]
    swing = rng.choice([0.0, 0.0, 0.16])

    def note(channel: int, key: int, at: float, length: float, loud: int) -> None:
        events.append((at, f"noteon {channel} {key} {loud}"))
        events.append((at + length, f"noteoff {channel} {key}"))

    for bar in range(int(seconds / (4 * beat)) + 2):
        degree, t = chords[bar % 4], bar * 4 * beat
        triad = [root + int(scale[(degree + k) % 7]) + 12 * ((degree + k) // 7) for k in (0, 2, 4)]
        if programs:
            if style == "guitar" or style == "bells":
                for n in range(8):
                    note(0, triad[n % 3] + 12 * (n % 4 == 3), t + n * beat / 2, beat, int(rng.integers(60, 95)))
            else:
                for key in triad:
                    note(
                        0, key, t, 4 * beat * (1.0 if style in ("strings", "drone") else 0.9), int(rng.integers(50, 90))
                    )
            if style not in ("bells", "drone"):
                for n in range(4):
                    note(1, triad[0] - 12, t + n * beat, beat * 0.8, 85)
            if rng.random() < 0.75 and style != "drone":
                at = 0.0
                while at < 4:
                    length = rng.choice([0.5, 0.5, 1.0, 1.5, 2.0])
                    key = root + 12 + int(scale[rng.integers(7)])
                    if rng.random() < 0.85:
                        note(
                            2,
                            key,
                            t + (at + swing * (at % 1 == 0.5)) * beat,
                            length * beat * 0.9,
                            int(rng.integers(65, 110)),
                        )
                    at += length
        if kit:
            for n in range(8):
                note(9, 42, t + (n + swing * (n % 2)) * beat / 2, 0.1, int(rng.integers(40, 80)))
                if n % 4 == 0 or (n == 5 and rng.random() < 0.4):
                    note(9, 36, t + n * beat / 2, 0.1, 105)
                if n % 4 == 2:
                    note(9, 38, t + n * beat / 2, 0.1, 95)
    out = _played(events, seconds + 1.5, FONTS[part], folder)[: int(seconds * RATE)]
    fade = min(int(rng.uniform(0.02, 2.0) * RATE), len(out) // 3)
    out[-fade:] *= np.linspace(1, 0, fade)[:, None]
    return out


def _played(events: list[tuple[float, str]], seconds: float, font: str, folder: Path) -> Sound:
    """Events at seconds, as sound: a standard MIDI file written by hand and played."""
    ticks, tracks = 960, bytearray()
    clock = 0
    for at, told in sorted(events, key=lambda event: event[0]):
        now = round(at * ticks * 2)  # 120 beats a minute
        name, *numbers = told.split()
        channel, *rest = map(int, numbers)
        if name == "select":
            data = bytes([0xC0 | channel, rest[2]])
        elif name == "noteon":
            data = bytes([0x90 | channel, min(max(rest[0], 0), 127), rest[1]])
        else:
            data = bytes([0x80 | channel, min(max(rest[0], 0), 127), 0])
        tracks += _length(now - clock) + data
        clock = now
    tracks += _length(0) + b"\xff\x2f\x00"
    head = b"MThd" + (6).to_bytes(4, "big") + (0).to_bytes(2, "big") + (1).to_bytes(2, "big") + ticks.to_bytes(2, "big")
    midi, wav = folder / "a.mid", folder / "a.wav"
    midi.write_bytes(head + b"MTrk" + len(tracks).to_bytes(4, "big") + bytes(tracks))
    command = ["timeout", "60", "fluidsynth", "-ni", "-q", "-r", str(RATE), "-F", str(wav), font, str(midi)]
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    sound, _ = soundfile.read(wav, always_2d=True)
    need = int(seconds * RATE)
    return np.pad(sound, ((0, max(need - len(sound), 0)), (0, 0)))[:need]


def _length(number: int) -> bytes:
    out = [number & 0x7F]
    while number := number >> 7:
        out.append(number & 0x7F | 0x80)
    return bytes(reversed(out))


def sung(rng: np.random.Generator, line: Sound) -> Sound:
    """A line of talk on steady notes: its throat by linear prediction, its pitch by a saw."""
    work = 16_000
    low = soxr.resample(line, RATE, work)
    hop, order = 160, 18
    key, scale = rng.integers(48, 62), (0, 2, 4, 5, 7, 9, 11, 12)
    out = np.zeros(len(low) + hop)
    left, hz, phase = 0, 220.0, 0.0
    frames = len(low) // hop - 3
    for n in range(frames):
        if left <= 0:
            hz = 440 * 2 ** ((key + scale[rng.integers(len(scale))] - 69) / 12)
            left = int(rng.uniform(18, 70))
        left -= 1
        piece = low[n * hop : n * hop + 3 * hop] * np.hanning(3 * hop)
        r = np.correlate(piece, piece, "full")[len(piece) - 1 :][: order + 1]
        if r[0] < 1e-6:
            continue
        r[0] *= 1.001
        a = np.linalg.solve(np.array([[r[abs(i - j)] for j in range(order)] for i in range(order)]), r[1:])
        vibrato = hz * (1 + 0.008 * np.sin(2 * np.pi * 5.2 * n / 100))
        t = phase + np.arange(2 * hop) * vibrato / work
        phase += hop * vibrato / work
        zero = np.mean(np.abs(np.diff(np.sign(piece)))) / 2
        source = (2 * (t % 1) - 1) if zero < 0.18 else rng.standard_normal(2 * hop) * 0.4
        made = signal.lfilter([1.0], np.concatenate([[1.0], -a]), source) * np.hanning(2 * hop)
        made *= np.sqrt(r[0] / (np.dot(made, made) + 1e-9)) * 0.7
        out[n * hop : n * hop + 2 * hop] += made
    return soxr.resample(out, work, RATE)


def effect(rng: np.random.Generator, seconds: float, part: str, folder: Path) -> Sound:
    """Something that happens: a slam, a bell, a signal, steps, an engine, a sweep, water, wind, a crowd of birds."""
    t = np.arange(int(seconds * RATE)) / RATE
    kinds = LEARNED if part == "learn" else ASKED
    kind = kinds[rng.integers(len(kinds))]
    noise = rng.standard_normal(t.size)
    if kind == "font":
        program = SPOT_EFFECTS[part][rng.integers(3)]
        events = [(0.0, f"select 0 0 0 {program}")]
        for at in np.arange(0, seconds, max(seconds / 3, 1.0)):
            key = rng.integers(55, 72)
            events += [(at, f"noteon 0 {key} 110"), (at + 2.5, f"noteoff 0 {key}")]
        return _played(events, seconds, FONTS[part], folder)[:, 0]
    if kind in ("slam", "steps"):
        out = np.zeros(t.size)
        for at in np.sort(
            rng.uniform(0, max(seconds - 0.3, 0.05), 1 if kind == "slam" else max(int(seconds * 1.8), 1))
        ):
            length = rng.uniform(0.05, 0.3)
            n = np.arange(int(length * 6 * RATE)) / RATE
            hit = rng.standard_normal(n.size) * np.exp(-n / length) + np.sin(
                2 * np.pi * rng.uniform(50, 200) * n
            ) * np.exp(-n / length)
            first = int(at * RATE)
            count = min(hit.size, t.size - first)
            out[first : first + count] += hit[:count]
        return signal.sosfilt(signal.butter(1, rng.uniform(800, 6000), fs=RATE, output="sos"), out)
    if kind == "bell":
        base = rng.uniform(200, 1200)
        parts = base * np.array([1, 2.0, 2.4, 3.0, 4.5, 5.33]) * rng.uniform(0.98, 1.02, 6)
        return sum(np.sin(2 * np.pi * hz * t) * np.exp(-t * rng.uniform(0.6, 4)) for hz in parts)
    if kind == "beep":
        return np.sin(2 * np.pi * rng.uniform(500, 3000) * t) * ((t * rng.uniform(1, 4)) % 1 < 0.4)
    if kind == "siren":
        hz = 700 + 250 * signal.sawtooth(2 * np.pi * rng.uniform(0.3, 2) * t, 0.5)
        return np.sin(2 * np.pi * np.cumsum(hz) / RATE) + 0.02 * noise
    if kind in ("splash", "clock", "bark", "saw"):
        every = {"splash": 2.0, "clock": rng.choice([0.5, 1.0]), "bark": rng.uniform(0.4, 1.2), "saw": 0.45}[kind]
        out = np.zeros(t.size)
        for n, at in enumerate(np.arange(0.02, seconds, every)):
            here = np.arange(int(min(every * 0.8, 1.5) * RATE)) / RATE
            if kind == "splash":
                hit = signal.sosfilt(signal.butter(2, 3000, fs=RATE, output="sos"), rng.standard_normal(here.size))
                hit *= np.exp(-here / 0.35) * (1 - np.exp(-here / 0.02))
            elif kind == "clock":
                hit = np.sin(2 * np.pi * (1800 + 300 * (n % 2)) * here) * np.exp(-here / 0.015)
            elif kind == "bark":
                hit = signal.sawtooth(2 * np.pi * np.cumsum(400 - 150 * here / here[-1]) / RATE) * np.exp(-here / 0.08)
                hit += 0.5 * rng.standard_normal(here.size) * np.exp(-here / 0.06)
            else:
                band = (1500, 7000) if n % 2 else (900, 5000)
                hit = signal.sosfilt(
                    signal.butter(2, band, "band", fs=RATE, output="sos"), rng.standard_normal(here.size)
                )
                hit *= np.hanning(here.size)
            first = int(at * RATE)
            count = min(hit.size, t.size - first)
            out[first : first + count] += hit[:count]
        return out + 0.003 * noise
    if kind == "horn":
        hz = rng.uniform(80, 320)
        return sum(np.sin(2 * np.pi * k * hz * t) / k for k in range(1, 10)) * (t % 6 < rng.uniform(1.5, 4))
    if kind == "engine":
        hz = rng.uniform(14, 60) * (1 + 0.1 * np.sin(2 * np.pi * t / rng.uniform(2, 8)))
        wave = sum(np.sin(k * 2 * np.pi * np.cumsum(hz) / RATE + k) / k**0.7 for k in range(1, 25))
        return wave + 0.4 * signal.sosfilt(signal.butter(2, 900, fs=RATE, output="sos"), noise)
    if kind == "sweep":
        return signal.lfilter([1], [1, -0.6], noise) * np.exp(-(((t - seconds / 2) / (seconds / 5)) ** 2))
    if kind == "rain":
        drops = (rng.random(t.size) < 0.004) * rng.standard_normal(t.size) * 6
        return signal.sosfilt(signal.butter(2, (500, 9000), "band", fs=RATE, output="sos"), noise * 0.4 + drops)
    if kind == "birds":
        out = 0.02 * noise
        for at in rng.uniform(0, max(seconds - 0.4, 0.1), max(int(seconds * 3), 2)):
            n = np.arange(int(rng.uniform(0.05, 0.3) * RATE)) / RATE
            chirp = np.sin(2 * np.pi * (rng.uniform(2000, 5000) * n + rng.uniform(-6000, 6000) * n**2)) * np.hanning(
                n.size
            )
            first = int(at * RATE)
            count = min(chirp.size, t.size - first)
            out[first : first + count] += chirp[:count]
        return out
    slow = np.abs(
        signal.sosfilt(signal.butter(1, 0.3, fs=RATE / 480, output="sos"), rng.standard_normal(t.size // 480 + 1))
    )
    swell = np.interp(np.arange(t.size), np.arange(slow.size) * 480, slow / (slow.max() + 1e-9)) + 0.15
    cut = rng.uniform(300, 3000)
    return swell * signal.sosfilt(signal.butter(1, cut, fs=RATE, output="sos"), noise)


def room_tone(rng: np.random.Generator, seconds: float) -> Sound:
    """Nothing but a room: a coloured noise, perhaps hum, a fan that turns, now and then a small knock."""
    t = np.arange(int(seconds * RATE)) / RATE
    out = signal.sosfilt(signal.butter(1, rng.uniform(100, 4000), fs=RATE, output="sos"), rng.standard_normal(t.size))
    out += rng.uniform(0, 0.3) * rng.standard_normal(t.size)
    out /= out.std()
    if rng.random() < 0.5:
        hz = rng.choice([50.0, 60.0])
        out += rng.uniform(0.1, 1.0) * sum(np.sin(2 * np.pi * k * hz * t) / k for k in (1, 2, 3, 5))
    out *= 1 + rng.uniform(0, 0.12) * np.sin(2 * np.pi * rng.uniform(0.1, 2) * t)
    if rng.random() < 0.3:
        at = int(rng.uniform(0, t.size - RATE // 4))
        out[at : at + 2400] += rng.standard_normal(2400) * np.exp(-np.arange(2400) / 400) * rng.uniform(1, 4)
    return out * 10 ** (rng.uniform(-78, -46) / 20)


def conversation(rng: np.random.Generator, voices: list[Path], seconds: float, *, call: bool) -> Sound:
    """One person's own recording, with the other softly in it or not at all; or the call, with both."""
    people = sorted({path.name.split("-")[0] for path in voices})
    chosen = rng.choice(people, 2, replace=False) if len(people) > 1 else [people[0], people[0]]
    both = [talk(rng, [v for v in voices if v.name.startswith(f"{who}-")], seconds) for who in chosen]
    turns = (np.sin(2 * np.pi * np.arange(both[0].size) / RATE / rng.uniform(6, 30) + rng.uniform(0, 6)) > 0).astype(
        float
    )
    edge = np.hanning(4801) / np.hanning(4801).sum()
    turns = np.clip(signal.fftconvolve(turns, edge, "same"), 0, 1)
    one, other = both[0] * turns, both[1] * (1 - turns)
    if call:
        mixed = one + other * 10 ** (rng.uniform(-6, 6) / 20)
        band = signal.butter(3, (rng.uniform(150, 300), rng.uniform(3400, 7000)), "band", fs=RATE, output="sos")
        return np.tanh(3 * signal.sosfilt(band, mixed)) / 3
    return one + other * 10 ** (rng.choice([-90.0, -45.0, -28.0, -20.0]) / 20)


def spot(rng: np.random.Generator, voices: list[Path], seconds: float, part: str, folder: Path) -> Sound:
    """Somebody talks over music that is heard alone before and after."""
    under = music(rng, seconds, part, folder).mean(axis=1)
    who = rng.choice(sorted({path.name.split("-")[0] for path in voices}))
    said = talk(
        rng, [v for v in voices if v.name.startswith(f"{who}-")], max(seconds - rng.uniform(1.0, 4.0), 2.0), dry=True
    )
    said = said[: len(under)]
    said /= np.sqrt(np.mean(said**2)) + 1e-9
    under /= np.sqrt(np.mean(under**2)) + 1e-9
    at = rng.integers(0, len(under) - len(said) + 1)
    gain = np.full(len(under), 10 ** (rng.uniform(-9, -3) / 20))
    gain[at : at + len(said)] = 10 ** (rng.uniform(-18, -9) / 20)
    gain = signal.fftconvolve(gain, np.ones(9601) / 9601, "same")
    out = under * gain
    out[at : at + len(said)] += said
    return out


def song(rng: np.random.Generator, voices: list[Path], seconds: float, part: str, folder: Path) -> Sound:
    """Music with somebody singing to it."""
    under = music(rng, seconds, part, folder).mean(axis=1)
    who = rng.choice(sorted({path.name.split("-")[0] for path in voices}))
    tune = sung(rng, talk(rng, [v for v in voices if v.name.startswith(f"{who}-")], seconds, dry=True))[: len(under)]
    tune = heard_in(tune, room(rng, rng.uniform(0.5, 1.8), 8.0))[: len(under)]
    tune = np.pad(tune, (0, len(under) - len(tune)))
    balance = 10 ** (rng.uniform(-3, 8) / 20)
    return under / (under.std() + 1e-9) + balance * tune / (tune.std() + 1e-9)


def file_of(kind: str, rng: np.random.Generator, voices: list[Path], part: str, folder: Path) -> Sound:
    """A file of a kind, short or long, at some level."""
    if kind == "talk":
        out = conversation(rng, voices, np.exp(rng.uniform(np.log(5), np.log(150))), call=rng.random() < 0.4)
    elif kind == "music":
        out = music(rng, np.exp(rng.uniform(np.log(3), np.log(60))), part, folder).mean(axis=1)
    elif kind == "song":
        out = song(rng, voices, rng.uniform(12, 45), part, folder)
    elif kind == "effects":
        out = effect(rng, np.exp(rng.uniform(np.log(0.4), np.log(30))), part, folder)
    elif kind == "room tone":
        return room_tone(rng, rng.uniform(4, 60))
    else:
        out = spot(rng, voices, rng.uniform(8, 50), part, folder)
    out = out / (np.abs(out).max() + 1e-9) * 10 ** (rng.uniform(-14, -0.5) / 20)
    if kind in ("talk", "effects"):
        out = out + rng.standard_normal(out.size) * 10 ** (rng.uniform(-85, -50) / 20)
    return out


KINDS = ("talk", "music", "song", "effects", "room tone", "spot")
AS_TOLD = {"talk": "person", "song": "music"}
RIDGE = 2e-3
Rows = tuple[NDArray[np.float64], NDArray[np.int64], list[str]]


def gathered(part: str, seed: int, count: int, voices: list[Path], folder: Path) -> Rows:
    """Evidence of `count` files, which kind each is told to be, and which it was made as."""
    numbers, told, made = [], [], []
    for n in range(count):
        kind = KINDS[n % len(KINDS)]
        sound = file_of(kind, np.random.default_rng([seed, n]), voices, part, folder)
        evidence = evidence_of(ArraySource(np.ascontiguousarray(sound[:, None], np.float32)))
        if evidence is not None:
            numbers.append(evidence.numbers())
            told.append(TOLD.index(AS_TOLD.get(kind, kind)))  # type: ignore[arg-type]
            made.append(kind)
    return np.array(numbers), np.array(told), made


def learn(numbers: NDArray[np.float64], told: NDArray[np.int64], path: Path) -> None:
    """Multinomial logistic regression, by L-BFGS."""
    mean, scale = numbers.mean(axis=0), numbers.std(axis=0)
    rows = terms((numbers - mean) / scale)
    shape = (rows.shape[1], len(TOLD))

    def loss(flat: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        weights = flat.reshape(shape)
        scores = rows @ weights
        shares = np.exp(scores - scores.max(axis=1, keepdims=True))
        shares /= shares.sum(axis=1, keepdims=True)
        at = np.arange(len(told))
        slope = shares.copy()
        slope[at, told] -= 1
        cost = -np.log(shares[at, told] + 1e-12).mean() + RIDGE * float((weights**2).sum())
        return cost, (rows.T @ slope / len(told) + 2 * RIDGE * weights).ravel()

    best = optimize.minimize(loss, np.zeros(shape).ravel(), jac=True, method="L-BFGS-B", options={"maxiter": 3000})
    np.savez(path, mean=mean, scale=scale, weights=best.x.reshape(shape))


def asked(numbers: NDArray[np.float64], told: NDArray[np.int64], made: list[str], path: Path) -> None:
    """How often it is right, by kind, and how often where it is sure."""
    with np.load(path) as learned:
        scores = terms((numbers - learned["mean"]) / learned["scale"]) @ learned["weights"]
    shares = np.exp(scores - scores.max(axis=1, keepdims=True))
    shares /= shares.sum(axis=1, keepdims=True)
    right, sure = shares.argmax(axis=1) == told, shares.max(axis=1) >= SURE
    for kind in KINDS:
        here = np.array([each == kind for each in made])
        print(f"{kind:10} {here.sum():4} files  right {right[here].mean():.3f}  sure {sure[here].mean():.3f}  "
              f"right where sure {right[here & sure].mean():.3f}")  # fmt: skip
    print(f"{'all':10} {len(told):4} files  right {right.mean():.3f}  sure {sure.mean():.3f}  "
          f"right where sure {right[sure].mean():.3f}")  # fmt: skip


def main() -> None:
    """python training/kinds.py learn|ask VOICES SPEAKERS SEED COUNT FILE: speakers by name, divided by commas."""
    part, voices, speakers, seed, count, path = sys.argv[1:]
    chosen = [file for file in sorted(Path(voices).glob("*.flac")) if file.name.split("-")[0] in speakers.split(",")]
    with TemporaryDirectory() as folder:
        numbers, told, made = gathered(part, int(seed), int(count), chosen, Path(folder))
    if part == "learn":
        learn(numbers, told, Path(path))
    asked(numbers, told, made, Path(path))


if __name__ == "__main__":
    main()
