"""Compiling the loops once, so that the first note is not late."""

import tempfile
from pathlib import Path

import numpy as np

from pampa.core.deliver.limiter import Limited
from pampa.core.finds.kernels import said_again
from pampa.core.loudness import measure
from pampa.core.mend import denoiser, pitch
from pampa.core.mend.hum import HumTrack, without_hum
from pampa.core.mend.kernels import prediction_error
from pampa.core.mend.spectra import BINS, GROUPS
from pampa.core.mix.ducking import ducking_db
from pampa.core.music.beats import beats_of
from pampa.core.music.fit import way_of_length
from pampa.core.music.onsets import onsets_of
from pampa.core.network import convolved
from pampa.core.sound import ArraySource, segments
from pampa.core.speech import sounds, taken_back
from pampa.core.sync.clocked import Clocked
from pampa.core.timeline.document import Ducking
from pampa.core.voice.chain import known_of, treat
from pampa.core.voice.heard import Heard
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import Facts


def warm_up() -> None:
    """Run every compiled loop once in each form that it is used in."""
    sound = np.random.default_rng(1).standard_normal((9600, 2)).astype(np.float32)
    recipe = Recipe(level=50, bands=50, warmth=50)
    facts = Facts(-23.0, np.repeat([1e-6, 1e-2, 1e-6], 20), lambda: Heard(np.ones((50, 53)), np.ones(53)))
    with tempfile.TemporaryDirectory() as folder:
        for channels in (1, 2):
            source = ArraySource(np.ascontiguousarray(sound[:, :channels]))
            path = Path(folder) / "sound.f32"
            source.data.tofile(path)
            mapped = ArraySource(np.memmap(path, np.float32, "r", shape=source.data.shape))
            for each in (source, mapped):
                measure(each.data)
                treat(each, next(segments(9600)), recipe, known_of(facts, recipe))
                Limited(each, 1.0, 0.5).read(0, 9600)
                Clocked(each, 10.0).read(0, 9600)
                without_hum(
                    each, next(segments(9600)), HumTrack(50.0, np.zeros(2), np.ones((2, 1, channels), complex)), 1.0
                )
    ducking_db(np.ones(10), Ducking())
    click = np.zeros((12 * 48_000, 1), np.float32)
    click[::24_000] = 0.5
    onsets = onsets_of(ArraySource(click))
    way_of_length(onsets, beats_of(onsets).beats_s, 4, 12.0, 8.0)
    for task, inputs in denoiser.INPUTS.items():
        denoiser.gains(np.zeros((2 * denoiser.CONTEXT + 2, inputs), np.float32), task)
    count = 2 * pitch.AROUND + 2
    pitch.followed(np.zeros((1, count, BINS), np.complex64), np.zeros((count, GROUPS), np.float32), 1.0)
    prediction_error(np.ones(4800), 1200, 32)
    said_again(np.full((40, 12), 0.3, np.float32), np.array([20]), np.array([18]), 15, 5, 0.25, 0.45, 0.06)
    seen = np.zeros((2 * sounds.CONTEXT + 1, sounds.INPUTS), np.float32)
    convolved(seen, *sounds.weights(), np.array(sounds.DILATIONS))
    taken_back.alikeness(np.full((2, taken_back.PHONES), 0.01, np.float32))
