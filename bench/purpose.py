"""What files are for, on seeded sets: how often it is told rightly, how often asked, how often told wrongly."""

import shutil
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soxr
from training.kinds import AS_TOLD, FONTS, KINDS, file_of
from training.material import speak

from bench.conversations import RATE, at_work_rate, conversation
from pampa.core.purpose.call import find_call
from pampa.core.purpose.evidence import evidence_of
from pampa.core.purpose.kind import SURE, likely_of
from pampa.core.sound import ArraySource

FILES = 120
SETS = {
    "both and the call": ("one", "other", "call"), "the call and one": ("call", "one"),
    "the call in stereo, a stranger": ("one", "stereo", "stranger"), "both, no call": ("one", "other"),
    "two microphones in one room": ("near", "far"), "one room and a call": ("near", "far", "call"),
}  # fmt: skip


def recorded(seed: int, names: tuple[str, ...], seconds: float) -> list[np.ndarray]:
    """Recordings of one conversation, each with its own start and clock; a stranger is from another."""
    rng = np.random.default_rng([seed, 5])
    one, other = conversation(seconds, seed)
    bleed = 10 ** (rng.uniform(-60, -24) / 20)
    apart = 10 ** (rng.uniform(-20, -14) / 20)
    balance = 10 ** (rng.uniform(-5, 5) / 20)
    sounds = {
        "one": one + bleed * other, "other": other + bleed * one, "call": one + balance * other,
        "stereo": 0.5 * (one + balance * other) + 0.5 * (0.9 * one + other), "near": one + apart * other,
        "far": other + apart * one, "stranger": conversation(seconds, seed + 1000)[0],
    }  # fmt: skip
    made = []
    for name in names:
        late = sounds[name][round(rng.uniform(0, 5) * RATE) :]
        late = soxr.resample(late, RATE, RATE * (1 + rng.uniform(-60, 60) * 1e-6))
        made.append(at_work_rate(late + 10 ** (rng.uniform(-70, -55) / 20) * rng.standard_normal(len(late))))
    return made


def calls() -> None:
    for told, names in SETS.items():
        truth = next((n for n, name in enumerate(names) if name in ("call", "stereo")), None)
        right = asked = 0
        for seed in range(12):
            found = find_call(recorded(seed, names, 40.0 if seed % 3 == 0 else 150.0))
            sure = found is not None and found.sure >= SURE
            right += (sure and found.index == truth) or (truth is None and not sure)
            asked += truth is not None and not sure and (found is None or found.index == truth)
        print(f"{told:32} right {right:2} of 12, asked or left to a person {asked:2}, wrong {12 - right - asked:2}")


def kinds(folder: Path) -> None:
    voices = speak(folder / "voices")
    counts = {kind: [0, 0, 0] for kind in KINDS}
    for n in range(FILES):
        kind = KINDS[n % len(KINDS)]
        sound = file_of(kind, np.random.default_rng([900, n]), voices, "ask", folder)
        evidence = evidence_of(ArraySource(np.ascontiguousarray(sound[:, None], np.float32)))
        found = likely_of(evidence) if evidence else None
        right = found is not None and found.role == AS_TOLD.get(kind, kind)
        counts[kind][0 if found and right and found.sure >= SURE else 1 if not found or found.sure < SURE else 2] += 1
    for kind, (told, asked, wrong) in counts.items():
        print(f"{kind:32} told rightly {told:2}, asked {asked:2}, told wrongly {wrong:2}")


def main() -> None:
    calls()
    if not shutil.which("fluidsynth") or not Path(FONTS["ask"]).exists():
        print("Files by themselves: left out; they need Debian's fluidsynth, fluid-soundfont-gm, flite and espeak-ng.")
        return
    with TemporaryDirectory() as folder:
        kinds(Path(folder))
