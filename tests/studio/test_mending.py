"""Mend as a use case: amounts are edits, measuring goes on behind, and what is heard is what was asked for."""

import numpy as np
import pytest
import soundfile

from pampa.core.errors import EditRefused, NotFound
from pampa.core.files import measurements
from pampa.core.mend.amounts import Amounts, amounts_of
from pampa.core.sound import RATE
from tests.signals import noise, sine, talk


@pytest.fixture
def humming(studio, episode, tmp_path):
    """A recording of talk over hum, and the number of its episode."""
    sound = talk(24, seed=4) + sine(50.02, dbfs=-46, seconds=24) + sine(150.06, dbfs=-52, seconds=24)
    soundfile.write(tmp_path / "anders.wav", sound, RATE, subtype="PCM_24")
    recording = studio.recordings.add_file(episode, tmp_path / "anders.wav", person="Anders Quill")
    studio.jobs.wait()
    return recording.id, episode


def mend(studio, humming, **amounts):
    number, episode = humming
    state = studio.editing.edit(episode, "mend", {"name": "Anders", "recordings": [number], "amounts": amounts})
    studio.jobs.wait()
    return state


def mended(studio, number, **amounts):
    return studio.sounds.mended(studio.sounds.rendition(number, amounts=Amounts(**amounts)))


def test_nothing_is_mended_unasked_and_what_is_proposed_is_told(studio, humming):
    report = studio.mending.report(humming[0])
    assert report.amounts == Amounts()
    assert report.proposed.hum == 100
    assert (report.deeds, report.marks, report.waits) == ([], [], False)


def test_an_edit_is_measured_behind_it_and_told_and_undone(studio, humming):
    number, episode = humming
    mend(studio, humming, hum=100, rumble=50)
    report = studio.mending.report(number)
    assert [deed.process for deed in report.deeds] == ["hum", "rumble"]
    assert report.waits is False
    assert studio.editing.undo(episode).document.amounts(number) == Amounts()
    assert studio.mending.report(number).deeds == []


def test_speech_where_noise_is_learned_is_said_with_a_better_place(studio, episode, tmp_path):
    sound = np.concatenate([sine(180, dbfs=-20, seconds=6), np.zeros((4 * RATE, 1), np.float32)])
    sound += noise(10, dbfs=-60)
    soundfile.write(tmp_path / "anders.wav", sound, RATE, subtype="PCM_24")
    number = studio.recordings.add_file(episode, tmp_path / "anders.wav", person="Anders Quill").id
    studio.jobs.wait()
    mend(studio, (number, episode), noise=50, noise_from=2.0, noise_to=4.0)
    doubted = studio.mending.report(number).doubt
    assert doubted.share == 1
    assert "There is speech in 100 %" in doubted.words
    assert 6 <= doubted.better[0] < doubted.better[1] <= 10
    mend(studio, (number, episode), noise=50, noise_from=doubted.better[0], noise_to=doubted.better[1])
    assert studio.mending.report(number).doubt is None


def test_the_three_ways_add_up_and_are_equally_loud(studio, humming):
    number, _ = humming
    mend(studio, humming, hum=100)
    recorded, treated, taken = (
        studio.mending.sound(number, 2 * RATE, 4 * RATE, way) for way in ("recorded", "treated", "taken")
    )
    assert recorded.shape == treated.shape == taken.shape == (4 * RATE, 2)
    alone = mended(studio, number, hum=100).read(2 * RATE, 6 * RATE)
    plain = studio.sounds.conformed(number).read(2 * RATE, 6 * RATE)
    gain = recorded[1000, 0] / plain[1000, 0]
    np.testing.assert_allclose(taken[:, :1], (plain - alone) * gain, atol=1e-6)
    assert abs(10 * np.log10(np.mean(recorded**2) / np.mean(treated**2))) < 0.5
    assert studio.mending.sound(number, 10**9, RATE, "treated").shape[0] >= 1


def test_what_is_measured_outlives_a_restart_and_a_changed_amount(studio, humming):
    number, _ = humming
    mend(studio, humming, hum=100)
    folder, source = studio.sounds.folder(number), studio.sounds.conformed(number)
    before = mended(studio, number, hum=60).read(0, RATE)
    measurements._read.cache_clear()
    assert not studio.sounds.lacks_mends(number, Amounts(hum=60))
    assert mended(studio, number, hum=60).read(0, RATE).tobytes() == before.tobytes()
    assert studio.sounds.lacks_mends(number, Amounts(hum=60, noise=10))
    studio.sounds.mends.measure(folder, source, Amounts(hum=60, noise=10))
    assert set(measurements.known_of(folder, Amounts(hum=60, noise=10))) == {"hum", "noise"}


def test_the_episode_is_heard_mended_and_only_the_mended_goes_out(studio, humming):
    number, episode = humming
    before = studio.listening.sound(episode, start=2 * RATE, frames=RATE).sound
    state = mend(studio, humming, hum=100)
    heard = studio.listening.sound(episode, start=2 * RATE, frames=RATE).sound
    assert not np.array_equal(before, heard)
    assert np.array_equal(studio.listening.sound(episode, start=2 * RATE, frames=RATE, treated=False).sound.shape,
                          heard.shape)  # fmt: skip
    # A cache that was deleted is measured again before anything goes out.
    for path in (studio.sounds.folder(number) / "mends").iterdir():
        path.unlink()
    measurements._read.cache_clear()
    assert studio.sounds.lacks_mends(number, Amounts(hum=100))
    studio.listening.complete(state, lambda doing, share: None)
    assert not studio.sounds.lacks_mends(number, Amounts(hum=100))


def test_pictures_of_the_recording_and_of_the_mended_sound_differ(studio, humming):
    number, _ = humming
    mend(studio, humming, hum=100)
    recorded, treated = (
        np.frombuffer(studio.mending.picture(number, 5, 0, way), np.uint8).astype(int)
        for way in ("recorded", "treated")
    )
    assert recorded.sum() > treated.sum()
    waves = [np.frombuffer(studio.mending.wave(number, 0, RATE, 100, way), "<i2").astype(int)
             for way in ("recorded", "treated", "taken")]  # fmt: skip
    assert np.ptp(waves[2]) < np.ptp(waves[0])
    assert np.ptp(waves[2]) > 0


def test_long_stretches_of_mended_sound_are_drawn_too(studio, humming):
    number, _ = humming
    mend(studio, humming, hum=100)
    lows = [studio.mending.picture(number, 12, 0, way)[0] for way in ("recorded", "treated")]
    assert lows[0] > lows[1] + 10


def test_a_recording_that_is_not_there_is_told(studio):
    with pytest.raises(NotFound):
        studio.mending.report(99)


def test_how_a_person_was_mended_last_time_is_offered_in_the_next_episode(studio, humming, talk_file):
    mend(studio, humming, hum=80, noise=20, noise_from=1, noise_to=2)
    show, _ = studio.shows.episode(humming[1])
    coming = studio.shows.make_episode(show.id, "Slack Tide", 13).id
    number = studio.recordings.add_file(coming, talk_file("again.wav"), person="Anders Quill").id
    other = studio.recordings.add_file(coming, talk_file("marisol.wav", seed=5), person="Marisol Vey").id
    studio.jobs.wait()
    last = studio.mending.report(number).last
    assert (last.episode, last.amounts) == ("The Pilot Ladder", Amounts(hum=80, noise=20))
    assert studio.mending.report(other).last is None
    assert studio.mending.report(humming[0]).last is None


def test_a_recipe_is_kept_with_person_and_show_replaced_by_name_and_forgotten(studio, humming):
    number, _ = humming
    with pytest.raises(EditRefused, match="Nothing is mended"):
        studio.recipes.keep(number, "Kitchen")
    spot = {"start_s": 2.0, "stop_s": 2.5}
    mend(studio, humming, hum=80, noise_from=1.0, noise_to=2.0, spots=[spot])
    kept = studio.recipes.keep(number, " Kitchen ")
    assert (kept.name, kept.person) == ("Kitchen", "Anders Quill")
    assert amounts_of(kept.amounts) == Amounts(hum=80), "places belong to their recording"
    mend(studio, humming, hum=40)
    studio.recipes.keep(number, "Kitchen")
    assert [recipe.amounts["hum"] for recipe in studio.recipes.of_recording(number)] == [40]
    with pytest.raises(EditRefused, match="needs a name"):
        studio.recipes.keep(number, "  ")
    studio.recipes.forget(kept.id)
    assert studio.recipes.of_recording(number) == []
    with pytest.raises(NotFound, match="not kept any more"):
        studio.recipes.forget(kept.id)


def test_recipes_of_the_same_person_come_first_and_other_shows_keep_their_own(studio, humming, talk_file):
    number, episode = humming
    other = studio.recordings.add_file(episode, talk_file("marisol.wav", seed=9), person="Marisol Vey").id
    elsewhere = studio.shows.make_episode(studio.shows.make_show("Night Ferry", "Nola Brant").id, "One", 1).id
    apart = studio.recordings.add_file(elsewhere, talk_file("nola.wav", seed=7), person="Anders Quill").id
    studio.jobs.wait()
    for recording, name in ((number, "Kitchen"), (other, "Attic")):
        mend(studio, (recording, episode), rumble=50)
        studio.recipes.keep(recording, name)
    assert [recipe.name for recipe in studio.recipes.of_recording(number)] == ["Kitchen", "Attic"]
    assert [recipe.name for recipe in studio.recipes.of_recording(other)] == ["Attic", "Kitchen"]
    assert studio.recipes.of_recording(apart) == []


def test_the_minutes_around_the_playhead_are_heard_mended_first_and_leave_no_trace(studio, humming, monkeypatch):
    """Whichever is known first, what stays is the same to the bit."""
    number, episode = humming
    monkeypatch.setattr("pampa.core.mend.near.REACH", 2 * RATE)
    around, heard = studio.sounds.measure_mends, []

    def whole(recording, amounts, told):
        rendition = studio.sounds.rendition(recording, amounts=amounts)
        heard.append((rendition, studio.sounds.opened(rendition).read(0, 24 * RATE)))
        around(recording, amounts, told)

    monkeypatch.setattr(studio.sounds, "measure_mends", whole)
    studio.mending.listens_at(episode, 10 * RATE)
    mend(studio, humming, hum=100, noise=60)
    plain = studio.sounds.conformed(number).read(0, 24 * RATE)
    final = mended(studio, number, hum=100, noise=60).read(0, 24 * RATE)
    [(rendition, first)] = heard
    assert rendition.near == (8 * RATE, 12 * RATE)
    assert studio.sounds.rendition(number, amounts=Amounts(hum=100, noise=60)).near is None
    outside = np.r_[0 : 8 * RATE, 12 * RATE : 24 * RATE]
    assert np.array_equal(first[outside], plain[outside])
    inside = slice(9 * RATE, 11 * RATE)
    taken, wanted = plain[inside] - first[inside], plain[inside] - final[inside]
    assert np.sum((taken - wanted) ** 2) < 0.3 * np.sum(wanted**2)
    assert np.abs(np.diff(plain - first, axis=0)).max() < 2 * np.abs(np.diff(plain - final, axis=0)).max()
    for file in (studio.sounds.folder(number) / "mends").iterdir():
        file.unlink()
    measurements._read.cache_clear()
    around(number, Amounts(hum=100, noise=60), lambda doing, share: None)
    assert np.array_equal(mended(studio, number, hum=100, noise=60).read(0, 24 * RATE), final)
