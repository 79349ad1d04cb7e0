"""Conversations of two made people, dry, each with what is true of it: for learning to find, and for trying it.

    PYTHONPATH=src:. python training/talks.py OUT --part learned --count 40 --seed 1     # an hour or so of one core

A talk is kept as `NNN.npz`: `one` and `two`, sounds at 16 kHz, float16; `phones_one`, `phones_two`, an index of
`sounds.PHONES` for every 10 ms; and `events`, rows of (person, kind, start_s, end_s, word, manner).
"""

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy import signal

from pampa.core.speech.sounds import PHONES
from training import scripts
from training.drawn_out import with_long_fillers
from training.engines import FLITE, RATE, Run, Said, espeak, flite, joe, kokoro

Mono = NDArray[np.float32]
ESPEAK = ("en-us", "en-us+m3", "en-gb+f2", "en-gb-scotland", "en-us+f4", "en-gb+m7")
LEFT_OUT = ("slt", "awb")
"""Voices of flite that nothing learns from."""
STYLES = {
    "learned": (
        "af_alloy", "af_aoede", "af_bella", "af_heart", "af_jessica", "af_kore", "af_nicole", "am_adam", "am_echo",
        "am_eric", "am_fenrir", "am_onyx", "am_puck", "am_santa", "bf_alice", "bf_isabella", "bm_fable", "bm_lewis",
        "ef_dora", "em_santa", "ff_siwis", "hf_alpha", "hm_omega", "if_sara", "im_nicola", "jf_alpha",
        "jf_gongitsune", "jf_tebukuro", "jm_kumo", "pf_dora", "pm_santa", "zf_xiaobei", "zf_xiaoni", "zf_xiaoxiao",
        "zm_yunjian", "zm_yunxi",
    ),
    "judged": (
        "af_river", "af_sky", "am_michael", "bf_emma", "bm_daniel", "hf_beta", "em_alex", "zf_xiaoyi", "zm_yunyang",
    ),
    "tried": ("af_nova", "af_sarah", "am_liam", "bf_lily", "bm_george", "hm_psi", "jf_nezumi", "pm_alex", "zm_yunxia"),
}  # fmt: skip
"""Styles of people: the network of sounds learns from some, judges from others, and some are only tried."""
ENGINES, OFTEN = ("kokoro", "joe", "flite", "espeak"), (0.72, 0.12, 0.1, 0.06)
AMONG, BEYOND = 3, 0.12
"""How many styles a voice lies between, and by how much a share of it lies beyond them."""
RUNNING_JOINED, RUNNING_FILLERS, FILLERS = 0.1, 0.9, 0.45
"""In running talk few sentences are put together of pieces, and most have a filler: twice as many, few of them beside a
pause, which is where they are hard to hear."""
IN_A_WORD_S = 0.25
"""How long before the end of a word somebody may break off in it."""
LEVEL = 0.08
PER_S = 100


class Voice:
    """Somebody: an engine and how it is set, pitch and size by resampling, a way of pausing."""

    def __init__(self, rng: np.random.Generator, part: str, running: bool = False, engine: str = "") -> None:
        self.rng = rng
        tried = part == "tried"
        self.engine = engine or str(rng.choice(ENGINES, p=OFTEN))
        self.bend = float(np.exp(rng.normal(0, 0.07)))
        self.speed = float(np.exp(rng.normal(0, 0.12)))
        if self.engine == "kokoro":
            self.shares = _mixture(rng, STYLES[part], tried)
            self.prosody = _mixture(rng, STYLES[part], tried)
        if self.engine == "flite":
            self.name = str(rng.choice([name for name in FLITE if (name in LEFT_OUT) == tried]))
        if self.engine == "espeak":
            self.name = str(rng.choice(ESPEAK[4:] if tried else ESPEAK[:4]))
        self.joined = RUNNING_JOINED if running else float(rng.choice((0.2, 0.6, 0.95)))
        self.pauses = float(rng.uniform(0.15, 0.6))

    def say(self, runs: list[Run], speed: float = 1.0) -> Said:
        """All at once."""
        pace = float(np.clip(self.speed * speed * self.rng.uniform(0.92, 1.08), 0.6, 1.7))
        if self.engine == "kokoro":
            said = kokoro(self.shares, self.prosody, runs, pace)
        elif self.engine == "joe":
            said = joe(runs, pace * 0.9, float(self.rng.uniform(0.4, 0.75)), float(self.rng.uniform(0.4, 0.9)))
        elif self.engine == "flite":
            said = flite(self.name, runs, pace)
        else:
            said = espeak(self.name, runs, pace)
        bent = soxr.resample(said.sound, RATE, RATE / self.bend).astype(np.float32)
        bent_too = Said(
            bent,
            [(kind, text, a / self.bend, b / self.bend) for kind, text, a, b in said.runs],
            [(phone, a / self.bend, b / self.bend) for phone, a, b in said.phones],
        )
        return trimmed(with_long_fillers(self.rng, bent_too))

    def said(self, runs: list[Run]) -> Said:
        """In one go, or run by run with stops between, or none."""
        off = next((n for n, run in enumerate(runs) if run.on), None)
        if off is not None:
            stop = 0.0 if self.rng.random() > self.pauses else float(self.rng.uniform(0.05, 0.7))
            return joined([self._broken_off(runs[: off + 1]), self.said(runs[off + 1 :])], [stop])
        if len(runs) == 1 or self.rng.random() > self.joined:
            return self.say(runs)
        parts = []
        for run in runs:
            speed = 1.0 if run.kind not in ("filler", "phrase") else float(self.rng.uniform(0.55, 1.5))
            parts.append(self.say([run], speed))
        stops = [0.0 if self.rng.random() > self.pauses else float(self.rng.uniform(0.05, 0.7)) for _ in parts[1:]]
        return joined(parts, stops)

    def _broken_off(self, runs: list[Run]) -> Said:
        """The last run as part of a sentence that is cut where, or a little before, it would have gone on."""
        said = self.say([*runs, Run("on", runs[-1].on)])
        end = next(stop for kind, _, _, stop in said.runs if kind == runs[-1].kind)
        if runs[-1].cut:
            within = [a for phone, a, b in said.phones if phone != "sil" and end - IN_A_WORD_S < a < end - 0.02]
            end = float(self.rng.choice(within)) if within else end
        count = round(end * RATE)
        sound = said.sound[:count].copy()
        fade = min(round(self.rng.uniform(0.005, 0.03) * RATE), count)
        sound[count - fade :] *= np.linspace(1, 0, fade, dtype=np.float32)
        return Said(
            sound,
            [(kind, text, a, min(b, end)) for kind, text, a, b in said.runs if a < end and kind != "on"],
            [(phone, a, min(b, end)) for phone, a, b in said.phones if a < end],
        )


def _mixture(rng: np.random.Generator, every: tuple[str, ...], tried: bool) -> dict[str, float]:
    """A voice between some of these; one that is learned from may lie beyond them, so that there are more."""
    names = rng.choice(every, AMONG, replace=False).tolist()
    shares = rng.dirichlet(np.full(len(names), 0.5))
    if not tried:
        away = rng.normal(0, BEYOND, len(names))
        shares = shares + away - away.mean()
    return dict(zip(names, shares.tolist(), strict=True))


def trimmed(said: Said) -> Said:
    """Without the silence before and after, at a common level."""
    level = np.sqrt(signal.fftconvolve(said.sound**2, np.ones(160) / 160, "same").clip(1e-12))
    loud = float(np.sqrt((level[level > level.max() / 18] ** 2).mean()))
    on = np.flatnonzero(level > loud * 10 ** (-38 / 20))
    first, last = max(int(on[0]) - 160, 0), min(int(on[-1]) + 160, said.sound.size)
    sound = said.sound[first:last] * (LEVEL / loud)
    ramp = np.linspace(0, 1, 64, dtype=np.float32)
    sound[:64] *= ramp
    sound[-64:] *= ramp[::-1]

    def moved(at: float) -> float:
        return float(np.clip(at - first / RATE, 0, sound.size / RATE))

    return Said(
        sound.astype(np.float32),
        [(kind, text, moved(a), moved(b)) for kind, text, a, b in said.runs],
        [(phone, moved(a), moved(b)) for phone, a, b in said.phones],
    )


def joined(parts: list[Said], stops: list[float]) -> Said:
    sounds: list[Mono] = []
    runs, phones, at = [], [], 0.0
    for part, stop in zip(parts, [*stops, 0.0], strict=True):
        runs += [(kind, text, a + at, b + at) for kind, text, a, b in part.runs]
        phones += [(phone, a + at, b + at) for phone, a, b in part.phones]
        sounds += [part.sound, np.zeros(round(stop * RATE), np.float32)]
        at = sum(each.size for each in sounds) / RATE
    return Said(np.concatenate(sounds), runs, phones)


def breath(rng: np.random.Generator) -> Mono:
    """Noise that is drawn in: broad, with two weak resonances of the throat."""
    count = int(rng.uniform(0.22, 0.65) * RATE)
    noise = rng.standard_normal(count + 2000)
    band = signal.butter(2, (rng.uniform(200, 600), rng.uniform(5000, 7800)), "band", fs=RATE, output="sos")
    sound = signal.sosfilt(band, noise)
    for low, high, much in ((700, 1700, rng.uniform(0, 1.6)), (1800, 3200, rng.uniform(0, 1.2))):
        b, a = signal.iirpeak(rng.uniform(low, high), rng.uniform(2, 5), fs=RATE)
        sound = sound + much * signal.lfilter(b, a, noise)
    place = np.linspace(0, 1, count)
    top = rng.uniform(0.3, 0.75)
    turn = np.where(place < top, place / top, 1 + (place - top) / (1 - top))
    sound = sound[2000:] * np.sin(np.pi / 2 * turn).clip(0) ** rng.uniform(1, 2)
    return (sound / np.sqrt((sound**2).mean())).astype(np.float32)


def mouth_click(rng: np.random.Generator) -> Mono:
    count = int(rng.uniform(0.0015, 0.005) * RATE)
    time = np.arange(count) / RATE
    sound = np.zeros(count)
    for _ in range(rng.integers(1, 4)):
        ring = np.sin(2 * np.pi * rng.uniform(1000, 5000) * time + rng.uniform(0, 6))
        sound += rng.uniform(0.4, 1) * np.exp(-time / rng.uniform(0.0003, 0.0009)) * ring
    return (sound / np.abs(sound).max()).astype(np.float32)


def talk(seed: int, part: str, seconds: float, running: bool = False) -> dict[str, Any]:
    """A conversation of about so many seconds."""
    rng = np.random.default_rng((seed, [*STYLES].index(part)))
    voices = [Voice(rng, part, running), Voice(rng, part, running)]
    fillers = RUNNING_FILLERS if running else FILLERS
    sides: list[list[tuple[float, Mono]]] = [[], []]
    phones: list[list[tuple[str, float, float]]] = [[], []]
    events: list[tuple[int, str, float, float, str, str]] = []
    at, who = 1.0, 0
    busy = [0.0, 0.0]

    def put(person: int, when: float, sound: Mono) -> None:
        sides[person].append((when, sound))

    while at < seconds:
        turn = int(rng.choice((1, 2, 3, 5)))
        begins = at
        for _ in range(turn):
            if rng.random() < 0.35:
                drawn = breath(rng)
                put(who, at, drawn * LEVEL * 10 ** (rng.uniform(-36, -20) / 20))
                events.append((who, "breath", at, at + drawn.size / RATE, "", ""))
                at += drawn.size / RATE + rng.uniform(0.0, 0.15)
            runs = scripts.line(rng, part, voices[who].engine, fillers)
            try:
                said = voices[who].said(runs)
            except (ValueError, IndexError, RuntimeError):
                continue
            put(who, at, said.sound * 10 ** (rng.normal(0, 1.5) / 20))
            for kind, text, a, b in said.runs:
                events.append((who, kind, at + a, at + b, text, ""))
            phones[who] += [(phone, at + a, at + b) for phone, a, b in said.phones]
            at += said.sound.size / RATE
            if rng.random() < 0.25:
                click = mouth_click(rng)
                when = at + rng.uniform(0.03, 0.2)
                put(who, when, click * LEVEL * 10 ** (rng.uniform(-14, 6) / 20))
                events.append((who, "click", when, when + click.size / RATE, "", ""))
            at += float(
                rng.choice((rng.uniform(0.02, 0.2), rng.uniform(0.25, 0.9), rng.uniform(1.0, 3.0)), p=(0.25, 0.65, 0.1))
            )
        other = 1 - who
        when = begins
        while (when := when + rng.uniform(2.5, 9)) < at - 1.5:
            kind = "agree" if rng.random() < 0.75 else "speech"
            word = str(rng.choice(scripts.AGREE if kind == "agree" else scripts.ANSWERS.split("|")))
            signs = scripts.signs_of(rng, word, voices[other].engine)
            try:
                said = voices[other].say([Run(kind, word, signs)], 1.15)
            except (ValueError, IndexError, RuntimeError):
                continue
            put(other, when, said.sound * 10 ** (rng.uniform(-12, -2) / 20))
            events.append((other, kind, when, when + said.sound.size / RATE, word, ""))
            phones[other] += [(phone, when + a, when + b) for phone, a, b in said.phones]
            when += said.sound.size / RATE
            busy[other] = when
        who = other
        at = max(at + float(rng.uniform(-0.25, 0.9)), busy[0], busy[1])
    length = round((at + 1.5) * RATE)
    out: dict[str, Any] = {"voices": json.dumps([vars_of(voice) for voice in voices])}
    for n, name in enumerate(("one", "two")):
        sound = np.zeros(length, np.float32)
        for when, piece in sides[n]:
            first = round(when * RATE)
            sound[first : first + piece.size] += piece[: length - first]
        row = np.zeros(length * PER_S // RATE, np.uint8)
        for phone, a, b in phones[n]:
            row[round(a * PER_S) : round(b * PER_S)] = PHONES.index(phone)
        out[name], out[f"phones_{name}"] = sound.astype(np.float16), row
    out["events"] = json.dumps(events)
    return out


def vars_of(voice: Voice) -> dict[str, Any]:
    return {name: value for name, value in vars(voice).items() if name != "rng"}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    parser.add_argument("--part", choices=tuple(STYLES), default="learned")
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--seconds", type=float, default=150)
    parser.add_argument("--running", action="store_true", help="twice as many fillers, most of them in running talk")
    asked = parser.parse_args()
    asked.out.mkdir(parents=True, exist_ok=True)
    for n in range(asked.seed, asked.seed + asked.count):
        path = asked.out / f"{n:04}.npz"
        if not path.exists():
            made = talk(n, asked.part, asked.seconds, asked.running)
            np.savez(path.with_suffix(".part.npz"), **made)
            path.with_suffix(".part.npz").rename(path)
            print(path, made["voices"][:120], flush=True)


if __name__ == "__main__":
    main()
