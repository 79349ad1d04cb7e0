"""Which sound is meant: one value that opens the very same sound anywhere, and names what is kept of it."""

import multiprocessing
import pickle
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial

import numpy as np
import pytest

from pampa.core.errors import EditRefused, SignalError
from pampa.core.files import measurements
from pampa.core.loudness.measure import measure_segment
from pampa.core.mend.amounts import Amounts
from pampa.core.rendition import Rendition
from pampa.core.sound import RATE, Segment, segments
from pampa.core.voice.recipe import Recipe

OTHERS = {
    "content": "b-auto", "drift_ppm": 3.0, "amounts": Amounts(hum=40), "measured": frozenset(),
    "recipe": Recipe(ratio=3.0),
}  # fmt: skip


def test_a_key_follows_everything_that_changes_the_sound():
    base = Rendition("a-auto", 2.0, Amounts(hum=50), frozenset({"hum"}), Recipe())
    keys = {replace(base, **{name: value}).key for name, value in OTHERS.items()}
    assert len(keys | {base.key}) == len(OTHERS) + 1
    assert replace(base).key == base.key


def test_a_pass_over_an_episode_is_a_small_task_with_the_same_bits_in_another_process(studio, two_people):
    number = studio.editing.state(two_people).document.tracks[0].clips[0].recording
    told = {"name": "one", "recordings": [number], "amounts": {"hum": 100.0, "noise": 50.0}}
    state = studio.editing.edit(two_people, "mend", told)
    studio.jobs.wait()
    mix = studio.listening.mix(state)
    task, segment = partial(measure_segment, mix), Segment(0, 0, 5 * RATE)
    assert len(pickle.dumps(task)) < 20_000
    with ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn")) as other:
        there = other.submit(task, segment).result()
    here = task(segment)
    assert np.array_equal(here.energy, there.energy)
    assert here.true_peak == there.true_peak > 0


def test_what_is_measured_a_moment_later_does_not_change_what_was_meant(studio, two_people):
    number = studio.editing.state(two_people).document.tracks[0].clips[0].recording
    amounts = Amounts(noise=60)
    early = studio.sounds.rendition(number, amounts=amounts, recipe=Recipe())
    studio.sounds.measure_mends(number, amounts)
    late = studio.sounds.rendition(number, amounts=amounts, recipe=Recipe())
    assert (early.measured, late.measured) == (frozenset(), {"noise"})
    unmended = studio.sounds.rendition(number, recipe=Recipe())
    heard, plain = (studio.sounds.opened(each).read(0, RATE) for each in (early, unmended))
    assert np.array_equal(heard, plain)
    assert not np.array_equal(studio.sounds.opened(late).read(0, RATE), plain)


def test_measurements_that_were_deleted_are_missed_and_not_left_out(studio, two_people):
    number = studio.editing.state(two_people).document.tracks[0].clips[0].recording
    studio.sounds.measure_mends(number, Amounts(noise=61))
    meant = studio.sounds.rendition(number, amounts=Amounts(noise=61))
    for path in (studio.sounds.folder(number) / "mends").iterdir():
        path.unlink()
    measurements._read.cache_clear()
    with pytest.raises(SignalError, match="measured anew"):
        studio.sounds.opened(meant).read(0, RATE)


def test_what_a_voice_loses_is_kept_beside_its_sound_and_made_again_where_it_is_gone(studio, two_people):
    tracks = studio.editing.state(two_people).document.tracks
    told = studio.voices.reports(two_people)
    assert set(told) == {track.id for track in tracks}
    assert list(told[tracks[0].id]) == ["tone", "compressor"]
    opened = studio.sounds.opened(studio.sounds.rendition(tracks[0].clips[0].recording, recipe=tracks[0].recipe))
    [segment] = segments(opened.frames)
    before = opened.taken(segment)["compressor"]
    assert before.shape == (-(-opened.frames // 960),)
    assert before.max() > 0.5
    for curves in studio.settings.data.glob("treated/*/*.taken.npz"):
        curves.write_bytes(b"half a file")
    assert np.allclose(opened.taken(segment)["compressor"], before, atol=1e-4)
    studio.editing.edit(two_people, "set_track", {"track": tracks[0].id, "treated": False})
    assert set(studio.voices.reports(two_people)) == {tracks[1].id}


def test_a_voice_is_made_even_and_clear_in_one_edit_that_can_be_undone(studio, two_people):
    before = studio.editing.state(two_people)
    track = before.document.tracks[0]
    state = studio.voices.fit(two_people, track.id, revision=before.revision)
    recipe = state.document.tracks[0].recipe
    assert recipe.level == 100
    assert recipe != track.recipe
    assert recipe.ratio == track.recipe.ratio
    assert set(studio.voices.reports(two_people)[track.id]) == {"level", "tone", "compressor"}
    assert studio.editing.undo(two_people).document == before.document
    music = studio.editing.edit(two_people, "add_track", {"name": "Theme", "kind": "music"}).document.tracks[-1]
    with pytest.raises(EditRefused, match="Nobody is heard"):
        studio.voices.fit(two_people, music.id)
