"""Room tone where something was cleared: no hole, no step, no more than was there."""

from itertools import pairwise

import numpy as np
import pytest

from pampa.core.loudness import measure_part
from pampa.core.mix.plan import plan_of
from pampa.core.mix.render import render
from pampa.core.rendition import Rendition
from pampa.core.room_tone import Tone, quiet_place
from pampa.core.sound import RATE, ArraySource
from pampa.core.timeline.document import Clip, Document, Track
from pampa.core.timeline.edits import apply
from tests.core.documents import as_recorded
from tests.signals import noise, sine

SECONDS = 30


def room_and_talk():
    """A room of -50 dBFS, and talk over it from 5 to 9 and from 12 to 28 s."""
    sound = noise(SECONDS, dbfs=-50)
    for start, stop in ((5, 9), (12, 28)):
        sound[start * RATE : stop * RATE] += sine(300, dbfs=-15, seconds=stop - start)
    return ArraySource(sound)


def one_person():
    return Document((Track(1, "Anders Quill", "person", (Clip(2, 7, 0, 0, SECONDS * RATE),)),))


def heard(document, source, tones):
    plan = plan_of(document, as_recorded(document), levels={}, frames={7: source.frames}, tones=tones)
    return render(plan, {Rendition("7"): source}, {}, start=0, stop=document.length)[:, 0]


def level(sound):
    return 10 * np.log10(np.mean(sound.astype(np.float64) ** 2))


def test_the_quietest_place_is_where_nobody_talks():
    energy = measure_part(room_and_talk().data, RATE).energy
    start, stop = quiet_place(energy)
    assert stop - start == 3.0
    assert (start, stop) <= (2.0, 5.0) or start >= 9.0
    assert not (start < 28 and stop > 12)


@pytest.mark.parametrize("seconds", [0.0, 0.2, 5.0])
def test_there_is_no_quiet_place_in_digital_silence_or_in_next_to_nothing(seconds):
    assert quiet_place(np.zeros(round(seconds * 50))) is None


def test_what_is_cleared_is_filled_with_the_room_without_a_step():
    source, document = room_and_talk(), one_person()
    cleared = apply(document, "clear", {"start": 4 * RATE, "stop": 16 * RATE, "tracks": [1]})
    sound = heard(cleared, source, {7: Tone(0, 3 * RATE)})
    steps = [level(sound[at : at + RATE // 10]) for at in range(2 * RATE, 16 * RATE - RATE // 10, RATE // 20)]
    assert max(steps) - min(steps) < 1.5
    assert np.abs(np.diff(sound[2 * RATE : 16 * RATE])).max() < 1.3 * np.abs(np.diff(sound[: 2 * RATE])).max()


def test_without_a_place_for_tone_what_is_cleared_is_silent():
    cleared = apply(one_person(), "clear", {"start": 4 * RATE, "stop": 16 * RATE, "tracks": [1]})
    assert not heard(cleared, room_and_talk(), {})[5 * RATE : 15 * RATE].any()


def test_what_is_closed_up_or_put_back_has_no_tone():
    source, document = room_and_talk(), one_person()
    closed = apply(document, "take_out", {"start": 4 * RATE, "stop": 10 * RATE})
    np.testing.assert_array_equal(heard(closed, source, {7: Tone(0, 3 * RATE)}), heard(closed, source, {}))
    cleared = apply(document, "clear", {"start": 4 * RATE, "stop": 10 * RATE})
    back = apply(cleared, "put_back", {"seam": cleared.seams[0].id})
    np.testing.assert_array_equal(heard(back, source, {7: Tone(0, 3 * RATE)}), heard(document, source, {}))


def test_tone_makes_room_for_what_is_moved_into_it():
    source, document = room_and_talk(), one_person()
    cleared = apply(document, "clear", {"start": 4 * RATE, "stop": 16 * RATE})
    laid = apply(
        cleared, "add_clip", {"track": 1, "recording": 7, "start": 8 * RATE, "length": RATE, "source": 13 * RATE}
    )
    sound = heard(laid, source, {7: Tone(0, 3 * RATE)})
    middle = slice(8 * RATE + RATE // 10, 9 * RATE - RATE // 10)
    np.testing.assert_allclose(
        sound[middle], source.data[13 * RATE + RATE // 10 : 14 * RATE - RATE // 10, 0], atol=1e-6
    )


def test_any_division_gives_the_same_bits():
    source = room_and_talk()
    cleared = apply(one_person(), "clear", {"start": 4 * RATE, "stop": 16 * RATE})
    plan = plan_of(cleared, as_recorded(cleared), levels={}, frames={7: source.frames}, tones={7: Tone(0, RATE)})
    sources = {Rendition("7"): source}
    whole = render(plan, sources, {}, start=0, stop=20 * RATE)
    edges = [0, 7, 4 * RATE - 100, 4 * RATE + 5, 5 * RATE - 3000, 9 * RATE, 16 * RATE + 1, 20 * RATE]
    parts = [render(plan, sources, {}, start=a, stop=b) for a, b in pairwise(edges)]
    np.testing.assert_array_equal(np.concatenate(parts), whole)


def test_tone_comes_at_the_level_of_the_pauses_around_whatever_is_said_between_them():
    cells = 50 * SECONDS
    energy = np.full(cells, 1e-5)  # the room is 3 dB louder from the middle on
    energy[cells // 2 :] *= 2
    tone = Tone(RATE, 2 * RATE, energy)
    assert tone.gain_db(25 * RATE, 26 * RATE) == pytest.approx(3.01, abs=0.01)
    energy[24 * 50 : 29 * 50] = 1e-2  # talk in all but two short pauses
    energy[26 * 50 : 26 * 50 + 12] = energy[28 * 50 : 28 * 50 + 12] = 2e-5
    assert tone.gain_db(25 * RATE, 26 * RATE) == pytest.approx(3.01, abs=0.01)
    energy[22 * 50 : 22 * 50 + 9] = 0.0  # a recorder's silence beside the room is no softer room
    assert tone.gain_db(25 * RATE, 26 * RATE) == pytest.approx(3.01, abs=0.01)
