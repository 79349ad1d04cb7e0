"""Lining up on the sheet: what moves, what stays, and that nothing is lost on the way."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from pampa.core.errors import EditRefused, SignalError
from pampa.core.sound import RATE
from pampa.core.sync.align import Break
from pampa.core.sync.clock import Clock, through
from pampa.core.timeline import arranging, cutting
from pampa.core.timeline.document import Document
from pampa.core.timeline.edits import apply
from pampa.core.timeline.in_step import Lie, moves, room_for
from pampa.core.timeline.lining import distance

MARISOL, ANDERS = 11, 12
LENGTH = 600 * RATE


def two_people(anders_at=0):
    document = arranging.bring_in(Document(), name="Marisol Vey", kind="person", recording=MARISOL, length=LENGTH)
    return arranging.bring_in(
        document, name="Anders Quill", kind="person", recording=ANDERS, length=LENGTH, start=anders_at
    )


def lined_up(document, lies):
    tracks = moves(document, lies)
    return apply(document, "line_up", {"tracks": tracks, "room": room_for(document, tracks)}) if tracks else document


def pairs_heard(document):
    """Places of Marisol's and Anders' own time that sound at the same moment, in seconds."""
    one, other = document.tracks[:2]
    found = []
    for clip in one.clips:
        for beside in other.clips:
            first, last = max(clip.start, beside.start), min(clip.end, beside.end)
            for at in np.linspace(first, last - 1, 5).astype(int) if first < last else ():
                found.append(
                    tuple(
                        (c.source + at - c.start) / RATE / (1 + document.drift_ppm(c.recording) * 1e-6)
                        for c in (clip, beside)
                    )
                )
    return found


def residual_ms(document, lies):
    here, there = lies[MARISOL].clock, lies[ANDERS].clock
    return max(abs(here.to_reference(a) - there.to_reference(b)) for a, b in pairs_heard(document)) * 1000


@given(st.floats(-60, 60), st.floats(-60, 60), st.floats(-80, 80), st.floats(-80, 80), st.integers(0, 3))
@settings(max_examples=60, deadline=None)
def test_whoever_is_lined_up_is_in_step_everywhere_cut_or_not(offset, other_offset, drift, other_drift, cuts):
    # A minute later, nothing of Anders is left before the first cut: that is refused, see below.
    assume(not cuts or other_offset - offset < 59)
    document = two_people()
    for n in range(cuts):
        document = cutting.take_out(document, start=(60 + 90 * n) * RATE, stop=(75 + 90 * n) * RATE)
    lies = {
        MARISOL: Lie(Clock(offset, drift), LENGTH),
        ANDERS: Lie(Clock(other_offset, other_drift), LENGTH),
    }
    made = lined_up(document, lies)
    assert residual_ms(made, lies) < 0.05
    assert moves(made, lies) == []
    assert [clip.length for clip in made.tracks[0].clips] == [clip.length for clip in document.tracks[0].clips]
    assert not made.clocks or made.clocks[0].recording == ANDERS


def test_a_piece_that_nothing_would_be_left_of_is_refused():
    document = cutting.take_out(two_people(), start=60 * RATE, stop=75 * RATE)
    lies = {MARISOL: Lie(Clock(-42.0, 0.0), LENGTH), ANDERS: Lie(Clock(18.0, 0.0), LENGTH)}
    with pytest.raises(EditRefused, match="between two cuts would be empty"):
        lined_up(document, lies)


def test_nobody_begins_before_the_beginning_and_nothing_is_hidden():
    lies = {MARISOL: Lie(Clock(0.0, 0.0), LENGTH), ANDERS: Lie(Clock(-4.5, 0.0), LENGTH)}
    made = lined_up(two_people(), lies)
    assert [(t.clips[0].start, t.clips[0].length) for t in made.tracks] == [(4.5 * RATE, LENGTH), (0, LENGTH)]


def test_a_recorder_that_stopped_is_divided_there_and_goes_on_later():
    lies = {
        MARISOL: Lie(Clock(0.0, 0.0), LENGTH),
        ANDERS: Lie(Clock(2.0, 0.0), LENGTH, (Break(100.0, 7.5), Break(300.0, -0.4))),
    }
    made = lined_up(two_people(), lies)
    heard = [(clip.source / RATE, clip.start / RATE, clip.end / RATE) for clip in made.tracks[1].clips]
    assert heard == [(0, 2, 102), (100, 109.5, 309.1), (300, 309.1, 609.1)]
    assert moves(made, lies) == []


def test_what_was_cut_from_a_person_comes_back_in_step():
    """A seam's own sound slides with the rest."""
    document = cutting.take_out(two_people(), start=100 * RATE, stop=120 * RATE)
    lies = {MARISOL: Lie(Clock(0.0, 0.0), LENGTH), ANDERS: Lie(Clock(3.0, 50.0), LENGTH)}
    made = lined_up(document, lies)
    back = cutting.put_back(made, seam=made.seams[0].id)
    assert residual_ms(back, lies) < 0.05


def test_one_person_alone_or_one_who_lies_right_moves_nothing():
    assert moves(two_people(), {ANDERS: Lie(Clock(3.0, 0.0), LENGTH)}) == []
    lies = {MARISOL: Lie(Clock(1.0, 0.0), LENGTH), ANDERS: Lie(Clock(4.0, 0.0), LENGTH)}
    assert moves(two_people(anders_at=3 * RATE), lies) == []


def test_the_distance_is_taken_where_both_sound():
    document = cutting.take_out(two_people(anders_at=5 * RATE), start=20 * RATE, stop=30 * RATE)
    assert distance(document, ANDERS, MARISOL) == 5 * RATE


def test_clips_of_a_recording_elsewhere_keep_what_is_heard():
    document = arranging.add_track(two_people(), name="Aside", kind="person")
    aside = document.tracks[-1].id
    document = arranging.add_clip(
        document, track=aside, recording=ANDERS, start=700 * RATE, length=RATE, source=500 * RATE
    )
    lies = {MARISOL: Lie(Clock(0.0, 0.0), LENGTH), ANDERS: Lie(Clock(0.0, 80.0), LENGTH)}
    [clip] = lined_up(document, lies).track(aside).clips
    assert (clip.start, clip.source) == (700 * RATE, round(500 * RATE * (1 + 80e-6)))


def test_clocks_set_by_hand():
    assert through([(10.0, 14.7)]) == Clock(pytest.approx(4.7), 0.0)
    clock = through([(10.0, 14.7), (1010.0, 1014.75)])
    assert (clock.to_reference(10.0), clock.drift_ppm) == (pytest.approx(14.7), pytest.approx(50.0))
    with pytest.raises(SignalError, match="further away"):
        through([(10.0, 14.7), (15.0, 19.7)])
    with pytest.raises(SignalError, match="same moment"):
        through([(10.0, 14.7), (110.0, 124.7)])


@given(st.floats(-60, 60), st.floats(-300, 300), st.floats(-60, 60), st.floats(-300, 300), st.floats(0, 5000))
def test_a_clock_onto_another_goes_through_the_reference(offset, drift, other_offset, other_drift, local):
    one, other = Clock(offset, drift), Clock(other_offset, other_drift)
    assert one.onto(other).to_reference(local) == pytest.approx(other.to_local(one.to_reference(local)), abs=1e-6)
