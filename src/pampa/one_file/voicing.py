"""One voice in a file, treated by a recipe."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from pampa.core.errors import PampaError, SignalError
from pampa.core.executor import Executor
from pampa.core.sound import ArraySource, Source
from pampa.core.timeline.recipe_files import from_json, start_called
from pampa.core.voice.fitting import fitted
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.starts import STARTS, nearer
from pampa.core.voice.voice_file import Voice, voice_in
from pampa.one_file.delivering import Change


@contextmanager
def treating(recipe: Recipe, *, fit: bool, near: float | None) -> Iterator[Change]:
    """Treats a voice, at 48 kHz, while this lasts. Words: what each stage does."""
    with tempfile.TemporaryFile() as gathered:

        def change(sound: Source, executor: Executor) -> tuple[Source, dict[str, Any]]:
            voice = voice_in(sound, executor)
            chosen, taken, frames = _chosen(voice, recipe, fit, near), [], 0
            for part in voice.treated(chosen, executor):
                part.sound.tofile(gathered)
                taken.append(part.taken)
                frames += len(part.sound)
            gathered.flush()
            treated = np.memmap(gathered, np.float32, "r", shape=(frames, sound.channels))
            return ArraySource(treated), {"stages": voice.told(chosen, taken)}

        yield change


def recipe_named(named: str) -> Recipe:
    """A starting point by its name, or the voice of a recipe file."""
    if (start := start_called(named)) is not None:
        return start
    path = Path(named)
    try:
        text = path.read_text("utf-8")
    except (OSError, ValueError):
        raise PampaError(
            f"{named} is neither a recipe file that can be read nor a starting point; those are {', '.join(STARTS)}. "
            "Nothing was written."
        ) from None
    voice = from_json(text, called=path.name).voice
    if voice is None:
        raise PampaError(f"{path.name} only says how to mend, not how to treat a voice. Nothing was written.")
    return voice


def _chosen(voice: Voice, recipe: Recipe, fit: bool, near: float | None) -> Recipe:
    if not voice.source.frames:
        raise SignalError("There is nothing to treat: it has no length. Nothing was written.")
    heard = voice.heard
    near_fit = fitted(recipe, BANDS_HZ, *heard.levels_db) if heard.speaks else recipe
    if fit:
        recipe = near_fit
    return recipe if near is None else nearer(recipe, near, near_fit)
