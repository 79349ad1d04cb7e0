"""Cutting as a use case: seams opened, joins checked, the history walked, versions kept, files exchanged."""

import io
import zipfile

import numpy as np
import pytest
import soundfile

from pampa.core.errors import EditRefused, NotFound
from pampa.core.sound import RATE
from tests.core.documents import sound_of


def edit(studio, episode, what, /, **parameters):
    return studio.editing.edit(episode, what, parameters)


def document(studio, episode):
    return studio.editing.state(episode).document


def test_an_open_seam_shows_and_plays_what_is_missing_and_changes_nothing(studio, two_people):
    before = studio.listening.sound(two_people, start=0, frames=6 * RATE, treated=False).sound
    state = edit(studio, two_people, "take_out", start=2 * RATE, stop=4 * RATE)
    seam = state.document.seams[0].id
    opened = studio.joins.opened(two_people, seam)
    assert (opened.start, opened.stop) == (2 * RATE, 4 * RATE)
    assert opened.state.document.length == 12 * RATE
    heard = studio.listening.sound(two_people, start=0, frames=6 * RATE, treated=False, open_seam=seam).sound
    np.testing.assert_array_equal(heard, before)
    assert studio.editing.state(two_people).revision == state.revision
    with pytest.raises(NotFound):
        studio.joins.opened(two_people, 999)


def test_what_is_heard_without_a_stretch_is_what_will_be_there_when_it_is_taken_out(studio, two_people):
    kept = studio.listening.sound(two_people, start=RATE, frames=2 * RATE, without=(2 * RATE, 4 * RATE)).sound
    edit(studio, two_people, "take_out", start=2 * RATE, stop=4 * RATE)
    np.testing.assert_array_equal(kept, studio.listening.sound(two_people, start=RATE, frames=2 * RATE).sound)


def test_the_quiet_is_near_and_quieter(studio, two_people):
    at = studio.joins.quiet(two_people, 5 * RATE)
    assert abs(at - 5 * RATE) <= 0.35 * RATE
    mix = studio.listening.mix(studio.editing.state(two_people), treated=False)

    def level(place):
        return float((mix.read(place - 480, place + 480) ** 2).mean())

    assert level(at) <= level(5 * RATE)


def test_room_tone_is_put_in_for_everybody_from_their_own_room(studio, two_people):
    before = document(studio, two_people)
    after = studio.joins.put_in_tone(two_people, 5 * RATE, RATE).document
    assert after.length == before.length + RATE
    for old, new in zip(before.tracks, after.tracks, strict=True):
        assert {clip.recording for clip in new.clips} == {clip.recording for clip in old.clips}
        filled = [clip for clip in new.clips if 5 * RATE <= clip.start < 6 * RATE]
        assert sum(clip.length for clip in filled) == RATE
    sound = studio.listening.sound(two_people, start=5 * RATE, frames=RATE, treated=False).sound
    assert 0 < np.abs(sound).max() < 0.3
    with pytest.raises(EditRefused, match="a tenth of a second"):
        studio.joins.put_in_tone(two_people, 5 * RATE, 10)


def test_joins_are_checked_in_the_background_and_what_is_heard_is_told(studio, two_people):
    edit(studio, two_people, "take_out", start=2 * RATE, stop=4 * RATE)
    assert studio.joins.checked(two_people).revision is None
    assert studio.joins.check(two_people).waits
    studio.jobs.wait(60)
    checked = studio.joins.checked(two_people)
    assert not checked.waits
    assert checked.revision == studio.editing.state(two_people).revision
    assert set(checked.faults) <= {seam.id for seam in document(studio, two_people).seams}


def test_any_point_of_the_history_is_gone_to(studio, two_people):
    for start in (2, 4, 6):
        edit(studio, two_people, "take_out", start=start * RATE, stop=start * RATE + 4800)
    now = document(studio, two_people)
    entries = studio.editing.history(two_people)
    first = next(entry["position"] for entry in reversed(entries) if "Took out" in entry["what"])
    back = studio.editing.go_to(two_people, first)
    assert len(back.document.seams) == 1
    assert studio.editing.go_to(two_people, entries[0]["position"]).document == now
    assert studio.editing.go_to(two_people, 0).document.tracks == ()
    with pytest.raises(EditRefused, match="nothing to redo"):
        studio.editing.go_to(two_people, 99)


def test_a_version_is_kept_gone_back_to_and_told_apart(studio, two_people):
    kept = studio.versions.keep(two_people, "Before the cut")
    then = document(studio, two_people)
    edit(studio, two_people, "take_out", start=2 * RATE, stop=4 * RATE)
    difference = studio.versions.against_now(kept.id)
    assert (difference.longer, len(difference.only_here), len(difference.only_there)) == (-2 * RATE, 1, 0)
    assert studio.versions.restore(kept.id).document == then
    assert studio.editing.undo(two_people).document.length == 10 * RATE
    assert [version.name for version in studio.versions.of_episode(two_people)] == ["Before the cut"]
    studio.versions.let_go(kept.id)
    assert studio.versions.of_episode(two_people) == []
    with pytest.raises(NotFound):
        studio.versions.restore(kept.id)
    with pytest.raises(EditRefused, match="needs a name"):
        studio.versions.keep(two_people, "  ")


def test_the_cut_goes_out_and_comes_in(studio, two_people):
    edit(studio, two_people, "take_out", start=2 * RATE, stop=4 * RATE)
    told, cut = studio.exchange.cut(two_people), document(studio, two_people)
    edit(studio, two_people, "take_out", start=0, stop=RATE)
    back = studio.exchange.bring_in_cut(two_people, "cut.otio", told)
    assert sound_of(back.document) == sound_of(cut)
    assert back.undo == "Went back to the cut in cut.otio"


def test_markers_go_out_and_come_in(studio, two_people):
    edit(studio, two_people, "add_marker", at=3 * RATE, name="Ladder")
    for kind in ("csv", "vtt"):
        text = studio.exchange.markers(two_people, kind)
        state = studio.exchange.bring_in_markers(two_people, f"markers.{kind}", text)
        assert [marker.name for marker in state.document.markers] == ["Ladder"] * len(state.document.markers)


@pytest.mark.parametrize("treated", [True, False])
def test_stems_are_all_as_long_as_the_episode_and_add_up_to_the_mix(studio, two_people, treated):
    edit(studio, two_people, "take_out", start=2 * RATE, stop=4 * RATE)
    studio.exchange.start_stems(two_people, treated=treated)
    studio.jobs.wait(120)
    (name,) = studio.exchange.stems(two_people)
    with zipfile.ZipFile(studio.exchange.stems_file(two_people, name)) as stems:
        assert stems.namelist() == ["01 Marisol Vey.wav", "02 Anders Quill.wav"]
        sounds = [soundfile.read(io.BytesIO(stems.read(each)), dtype="float32")[0] for each in stems.namelist()]
    assert [len(sound) for sound in sounds] == [10 * RATE] * 2
    mix = studio.listening.mix(studio.editing.state(two_people), treated=treated).read(0, 10 * RATE)
    np.testing.assert_allclose(sum(sounds), mix.mean(axis=1), atol=1e-5)
    with pytest.raises(NotFound):
        studio.exchange.stems_file(two_people, "../pampa.db")


def test_stems_of_nobody_are_refused(studio, episode):
    with pytest.raises(EditRefused, match="Nobody talks"):
        studio.exchange.start_stems(episode, treated=True)
