"""Pictures of long stretches: put together from what was drawn once."""

import errno

import numpy as np
import pytest

from pampa.core.mend.picture import COLUMNS, ROWS, tile
from pampa.core.sound import RATE, ArraySource, extents
from pampa.studio.overlooks import CELL, STRETCH, ZOOM, Overlooks
from tests.signals import noise, sine


@pytest.fixture(scope="module")
def long_sound():
    """Ten seconds less than three stretches: hiss, a tone in the second, and near the end a knock."""
    sound = noise(3 * STRETCH // RATE - 10, dbfs=-60)
    sound[STRETCH + 20 * RATE : STRETCH + 50 * RATE] += sine(1000, dbfs=-20, seconds=30)
    sound[-5 * RATE] = 0.9
    return sound


def test_wide_tiles_are_what_they_would_be_drawn_from_the_sound(long_sound, tmp_path):
    source = ArraySource(long_sound)
    for zoom in (ZOOM, ZOOM + 1, ZOOM + 2):
        kept = Overlooks().tile(source, tmp_path, zoom, 0).astype(int)
        drawn = tile(source, zoom, 0).astype(int)
        assert kept.shape == (COLUMNS, ROWS)
        # Hiss looked at in other places is never quite the same.
        assert np.abs(kept - drawn).mean() < 4
        assert np.abs(kept.max(axis=1) - drawn.max(axis=1)).max() < 25
    assert not Overlooks().tile(source, tmp_path, ZOOM + 2, 1).any(), "after the end there is nothing"


def test_the_wave_is_exact_to_a_cell(long_sound, tmp_path):
    start, stop = 100 * CELL, 100 * CELL + STRETCH + 200 * CELL
    wave = Overlooks().wave(ArraySource(long_sound), tmp_path, start, stop, 100)
    assert wave.shape == (100, 2)
    truth = extents(long_sound[start:stop], 100)
    assert np.median(np.abs(wave.astype(int) - truth)) < 0.1 * np.abs(truth).max()
    whole = Overlooks().wave(ArraySource(long_sound), tmp_path, 0, len(long_sound), 600)
    assert whole[:, 1].max() == pytest.approx(0.9 * 32767, abs=100)
    assert np.argmax(whole[:, 1]) == pytest.approx(600 * (1 - 5 * RATE / len(long_sound)), abs=1.5)


def test_what_was_drawn_is_kept(long_sound, tmp_path):
    first = Overlooks().tile(ArraySource(long_sound), tmp_path, ZOOM + 1, 0)
    silent = ArraySource(np.zeros_like(long_sound))
    assert np.array_equal(Overlooks().tile(silent, tmp_path, ZOOM + 1, 0), first)
    assert not Overlooks().tile(silent, tmp_path / "other", ZOOM + 1, 0).any()


def test_a_full_disk_only_means_that_it_is_drawn_again(long_sound, tmp_path, monkeypatch):
    def full(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("pathlib.Path.write_bytes", full)
    assert Overlooks().tile(ArraySource(long_sound), tmp_path, ZOOM, 0).any()
    assert not list(tmp_path.iterdir())
