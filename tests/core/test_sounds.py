"""What the network is given to listen to: voices of any throat, moved to where it knows them."""

import json
from functools import cache

import numpy as np
import pytest
import soundfile

from pampa.core.executor import Inline, Threads
from pampa.core.sound import ArraySource
from pampa.core.speech.features import BANDS, features_and_mel
from pampa.core.speech.sounds import CONTEXT, INPUTS, MOVES, best_move, inputs, listen, moved
from pampa.demo.assemble import VOICES

SPOKEN_S = 40


@cache
def spoken():
    """The first moments of what one of the sample's people says, without a room."""
    lines = [line for line in json.loads((VOICES / "lines.json").read_text()) if line["speaker"] == "Anders Quill"]
    read = [soundfile.read(VOICES / line["file"], dtype="float32") for line in lines]
    rate = read[0][1]
    sound = np.concatenate([sound for sound, _ in read])[: SPOKEN_S * rate]
    return features_and_mel(ArraySource(sound[:, None], rate))


@cache
def seen():
    return np.pad(inputs(*spoken()), ((CONTEXT, CONTEXT), (0, 0)))


def test_what_is_moved_is_in_higher_bands_and_how_voiced_it_is_stays():
    one = np.zeros((3, INPUTS), np.float32)
    one[1, 10] = one[1, BANDS + 20] = one[1, -1] = 1
    higher = moved(one, 2.0)
    assert np.argwhere(higher).tolist() == [[1, 12], [1, BANDS + 22], [1, INPUTS - 1]]
    assert moved(one, -0.5)[1, 9:11].tolist() == [0.5, 0.5]
    assert moved(one, 0.0) is one


@pytest.mark.parametrize("bands", [-1.0, 1.0])
def test_a_voice_of_another_throat_is_moved_back(bands):
    own = best_move(seen(), Inline())
    assert abs(own) < max(MOVES), "there must be room to be moved back"
    assert best_move(moved(seen(), bands), Inline()) == own - bands


def test_who_listens_makes_no_difference():
    alone, together = listen(*spoken()), listen(*spoken(), Threads(2))
    assert np.array_equal(alone.kinds, together.kinds)
    assert np.array_equal(alone.phones, together.phones)


@pytest.mark.parametrize("frames", [0, 1, 5 * CONTEXT])
def test_where_nobody_speaks_nothing_is_moved(frames):
    assert best_move(np.zeros((frames + 2 * CONTEXT, INPUTS), np.float32), Inline()) == 0
