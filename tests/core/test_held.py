"""Work that is done once and held: the same sound, nothing left behind, and no harm where there is no room for it."""

import numpy as np
import pytest

from pampa.core.errors import DiskFull
from pampa.core.executor import Threads
from pampa.core.files import held as module
from pampa.core.files.held import held
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import measure, mended
from pampa.core.mend.processes import Facts
from pampa.core.sound import RATE, ArraySource
from tests.signals import noise, sine, talk


class Counted:
    """A source that counts how much of it was read."""

    def __init__(self, sound):
        self._source, self.read_frames = ArraySource(sound), 0
        self.rate, self.channels, self.frames = RATE, sound.shape[1], len(sound)

    def read(self, start, stop):
        self.read_frames += stop - start
        return self._source.read(start, stop)


@pytest.mark.parametrize("channels", [1, 2])
def test_what_is_held_is_read_once_and_sounds_the_same(tmp_path, channels):
    source = Counted(noise(45, channels=channels))
    kept = held(source, tmp_path, Threads(2))
    assert source.read_frames == source.frames
    assert (kept.frames, kept.channels, kept.rate) == (source.frames, channels, RATE)
    np.testing.assert_array_equal(kept.read(-100, source.frames + 100), source.read(-100, source.frames + 100))
    assert list(tmp_path.iterdir()) == []


def test_without_room_the_source_is_read_itself(tmp_path, monkeypatch):
    def full(folder, size):
        raise DiskFull(size)

    source = Counted(noise(1))
    monkeypatch.setattr(module, "require_room", full)
    assert held(source, tmp_path) is source
    monkeypatch.undo()
    assert held(source, tmp_path / "is not there") is source


def test_mending_is_measured_the_same_whether_held_or_not():
    sound = talk(40) + sine(50, dbfs=-40, seconds=40) + noise(40, dbfs=-60)
    source, amounts = ArraySource(sound), Amounts(hum=100, rumble=100, clicks=100, noise=50, phase=True)
    nothing = np.zeros((0, 2))
    one, two = (measure(source, amounts, Facts(nothing, hold=hold)) for hold in (lambda x: x, held))
    np.testing.assert_array_equal(*(np.concatenate(list(mended(source, amounts, known))) for known in (one, two)))
