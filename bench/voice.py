"""The chain of a voice: levelling beside peers, and how near fitted tone comes to average speech.

Other voices than the sample's: `python -m bench.voice FOLDER ...`, each with lines as FLAC.
"""

import sys
from pathlib import Path

import numpy as np

import pampa
from bench import after, dynamics
from bench.levelling import lines, table
from pampa.core.checkup.examine import examine
from pampa.core.sound import ArraySource
from pampa.core.voice.fitting import distance_db, fitted, response_db
from pampa.core.voice.recipe import Recipe

SAMPLE = Path(pampa.__file__).parent / "demo" / "voices"
PLAIN = Recipe(body_db=0.0, presence_db=0.0)


def tones(folder: Path) -> None:
    """Print how far each voice lies from average speech in 100 Hz to 8 kHz, rms in dB, before and after."""
    for name, said in sorted(lines(folder).items()):
        sound = np.concatenate([np.pad(line, ((4800, 4800), (0, 0))) for line in said])
        found = examine(ArraySource(sound), clipped=np.zeros((0, 2)))
        hz, speech, room = (np.array(values) for values in (found.spectrum_hz, found.speech_db, found.floor_db))
        apart, weights = distance_db(hz, speech, room)
        left = [
            (apart - response_db(recipe, hz))[weights > 0] for recipe in (PLAIN, fitted(PLAIN, hz, speech, room))
        ]  # fmt: skip
        before, after = (float(np.std(each)) for each in left)
        print(f"  {name:<14} {before:.1f} dB to {after:.1f} dB")


def main() -> None:
    """The bench over the sample's voices."""
    of(SAMPLE)


def of(folder: Path) -> None:
    """The bench over the voices in a folder."""
    table(folder)
    print("fitted tone: distance from average speech, 100 Hz to 8 kHz")
    tones(folder)
    dynamics.table(lines(folder))
    print("level after the chain, told from two places, beside that of the whole")
    after.table(lines(folder))


if __name__ == "__main__":
    for given in sys.argv[1:] or [str(SAMPLE)]:
        of(Path(given))
