"""How loud a voice is after its chain: as Pampa tells it from two places of it, beside what the whole comes to."""

import numpy as np

from bench.levelling import Sound
from pampa.core.loudness import measure_energy
from pampa.core.sound import RATE, ArraySource, Segment
from pampa.core.speech.detector import where_spoken
from pampa.core.speech.level import speech_level
from pampa.core.voice.chain import known_of, treat
from pampa.core.voice.level_after import SETTLE, level_after, places_of
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.voice_file import Voice, voice_in

RECIPES = {
    "usual": Recipe(presence_db=4.0, body_db=-3.0),
    "all": Recipe(level=80.0, bands=50.0, sibilance=50.0, warmth=30.0, ratio=2.7, presence_db=5.0),
    "steep": Recipe(level=40.0, ratio=5.0, presence_db=-6.0, warmth=80.0, bands=90.0),
}


def made_voice(said: list[Sound], seed: int, seconds: float = 240.0) -> Voice:
    """One person's lines, loud and soft (3 dB about the mean), with pauses, in a room."""
    rng = np.random.default_rng(seed)
    parts: list[Sound] = []
    while sum(map(len, parts)) < seconds * RATE:
        line = said[int(rng.integers(len(said)))] * np.float32(10 ** (rng.normal(0, 3) / 20))
        parts += [line, np.zeros((round(rng.uniform(0.2, 6.0) * RATE), 1), np.float32)]
    sound = np.concatenate(parts)
    return voice_in(ArraySource(sound + rng.standard_normal(sound.shape).astype(np.float32) * np.float32(0.001)))


def told_and_true(voice: Voice, recipe: Recipe) -> tuple[float | None, float | None]:
    """The speech level after a recipe in LUFS, told and measured."""
    facts, frames = voice.facts, voice.source.frames
    known = known_of(facts, recipe)
    before = facts.energy * 10 ** (known["level"] * recipe.level / 1000) if recipe.level else facts.energy
    places = places_of(where_spoken(facts.energy).astype(float), frames)
    after = [measure_energy(treat(voice.source, place, recipe, known, settle=SETTLE).sound, RATE) for place in places]
    whole = treat(voice.source, Segment(0, 0, frames), recipe, known)
    return level_after(before, places, after), speech_level(measure_energy(whole.sound, RATE))


def table(voices: dict[str, list[Sound]], seeds: tuple[int, ...] = (1, 2)) -> None:
    """Print by how much the level is told wrong, rms and worst."""
    made = [made_voice(said, seed) for said in voices.values() for seed in seeds]
    for name, recipe in RECIPES.items():
        off = [told - true for told, true in (told_and_true(voice, recipe) for voice in made) if told and true]
        print(f"  {name:<14} {np.sqrt(np.mean(np.square(off))):.2f} LU off, {np.abs(off).max():.2f} at most")
