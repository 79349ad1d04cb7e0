"""Lining up against conversations whose truth is known."""

import numpy as np
import pytest
from bench.conversations import at_work_rate as at_work_rate_of
from bench.conversations import conversation, double_ender, with_claps
from bench.slates import slated
from bench.sync import worst_ms

from pampa.core.sync.align import align_sounds
from pampa.core.sync.clock import Clock
from pampa.core.sync.features import WORK_RATE
from pampa.core.sync.taking_turns import by_chance


def residual_ms(found, case):
    """The largest misalignment over the whole recording, in milliseconds."""
    truth = Clock(case.offset_s, case.drift_ppm)
    ends = (0.0, len(case.local) / WORK_RATE)
    return max(abs(found.clock.to_reference(t) - truth.to_reference(t)) for t in ends) * 1000


@pytest.mark.parametrize(
    ("seed", "offset_s", "drift_ppm"),
    [(1, 4.7, 38.0), (2, -37.3, -80.0), (3, 60.0, 80.0), (4, 0.0, 0.0), (5, 12.1, -12.0)],
)
def test_an_ordinary_double_ender_is_lined_up_to_a_millisecond(seed, offset_s, drift_ppm):
    """Through a narrow, squeezed call with noise and bleed: at most 5 ms anywhere; drift to 2 ppm needs length."""
    case = double_ender(180, seed, offset_s=offset_s, drift_ppm=drift_ppm)
    found = align_sounds(case.reference, case.local)
    assert found.matched
    assert found.breaks == ()
    assert residual_ms(found, case) < 1.0
    assert found.clock.drift_ppm == pytest.approx(drift_ppm, abs=5)
    assert found.confidence > 0.7


def test_ten_minutes_give_the_drift_to_two_parts_in_a_million():
    case = double_ender(600, 9, offset_s=21.0, drift_ppm=-47.0)
    found = align_sounds(case.reference, case.local)
    assert found.clock.drift_ppm == pytest.approx(-47.0, abs=2)
    assert residual_ms(found, case) < 2


def test_a_guest_with_a_tenth_of_the_talk_in_an_echoing_room_is_found():
    case = double_ender(600, 12, offset_s=-8.0, drift_ppm=25.0, echo_s=0.5, share=0.1, noise_db=-42, bleed=0.0)
    found = align_sounds(case.reference, case.local)
    assert found.matched
    assert residual_ms(found, case) < 5


@pytest.mark.parametrize("noise_db", [-40, -30])
def test_noise_does_not_lead_astray(noise_db):
    case = double_ender(240, 7, noise_db=noise_db)
    found = align_sounds(case.reference, case.local)
    assert not found.matched or residual_ms(found, case) < 5


@pytest.mark.parametrize("seed", range(6))
def test_recordings_of_other_conversations_are_not_matched(seed):
    one = at_work_rate_of(conversation(180, 50 + seed)[1])
    other = at_work_rate_of(conversation(180, 80 + seed).sum(axis=0))
    noise = np.random.default_rng(seed).standard_normal(len(one)).astype(np.float32) * 0.003
    found = align_sounds(other + noise, one + noise[::-1])
    assert not found.matched
    assert found.confidence < 0.5
    assert found.reason.endswith("Nothing was moved.")


def test_a_recorder_that_stopped_for_three_seconds_is_a_break():
    case = double_ender(240, 21, offset_s=2.0, drift_ppm=0.0)
    at = 130 * WORK_RATE
    local = np.concatenate([case.local[:at], case.local[at + 3 * WORK_RATE :]])
    found = align_sounds(case.reference, local)
    assert found.matched
    [cut] = found.breaks
    assert cut.jump_s == pytest.approx(3.0, abs=0.005)
    assert cut.at_s == pytest.approx(130, abs=12)
    assert found.clock.offset_s == pytest.approx(case.offset_s, abs=0.003)


def test_a_small_jump_of_the_calls_delay_moves_nobody():
    """The locals stay exact against each other: the drift is not bent by the call's jump of 15 ms."""
    case = double_ender(400, 31, offset_s=5.0, drift_ppm=20.0, jump=(250, 0.015))
    found = align_sounds(case.reference, case.local)
    assert found.breaks == ()
    assert found.clock.drift_ppm == pytest.approx(20.0, abs=4)
    assert found.clock.offset_s == pytest.approx(case.offset_s, abs=0.003)


def test_two_microphones_in_one_room_are_lined_up_by_what_both_hear():
    sides = conversation(120, 41)
    rng = np.random.default_rng(1)
    noise = 0.0005 * rng.standard_normal((2, sides.shape[1]))
    one, two = sides[0] + 0.1 * np.roll(sides[1], 96), sides[1] + 0.1 * np.roll(sides[0], 96)
    found = align_sounds(at_work_rate_of(one + noise[0]), at_work_rate_of((two + noise[1])[16_000 * 3 :]))
    assert found.matched
    assert found.clock.offset_s == pytest.approx(3.0, abs=0.008)


@pytest.mark.parametrize("seed", [71, 72, 73])
def test_claps_line_up_people_who_do_not_hear_each_other(seed):
    """Two at the start and two at the end: within a millisecond everywhere, and sure."""
    case = with_claps(240, seed, drift_ppm=15.0)
    found = align_sounds(case.reference, case.local)
    assert worst_ms(case, found) < 1
    assert found.confidence > 0.9


def test_two_claps_at_the_start_give_the_offset():
    case = with_claps(120, 74, drift_ppm=0.0, count=1)
    found = align_sounds(case.reference, case.local)
    assert worst_ms(case, found) < 1
    assert len(found.points) == 2


def test_both_people_choose_the_same_side_of_a_jump_of_the_call():
    """The call's delay jumps by 20 ms; one talks mostly before it, the other after. They stay in step."""
    one = double_ender(400, 41, offset_s=3.0, drift_ppm=0.0, jump=(150, 0.02), share=0.8)
    rng = np.random.default_rng(5)
    early, late = one.local.copy(), one.local.copy()
    early[190 * WORK_RATE :] = 1e-3 * rng.standard_normal(len(early) - 190 * WORK_RATE)
    late[: 120 * WORK_RATE] = 1e-3 * rng.standard_normal(120 * WORK_RATE)
    offsets = [align_sounds(one.reference, local).clock.to_reference(200) for local in (early, late)]
    assert offsets[0] == pytest.approx(offsets[1], abs=0.003)


def test_two_identical_files_lie_on_each_other():
    case = double_ender(60, 3)
    found = align_sounds(case.local, case.local)
    assert found.matched
    assert found.clock.offset_s == pytest.approx(0, abs=1e-4)


@pytest.mark.parametrize(
    ("reference_s", "local_s", "level", "said"),
    [(60, 2, 0.1, "too little"), (2, 60, 0.1, "too little"), (60, 60, 0.0, "silent")],
)
def test_what_cannot_be_compared_is_said(reference_s, local_s, level, said):
    rng = np.random.default_rng(1)
    reference = (level * rng.standard_normal(reference_s * WORK_RATE)).astype(np.float32)
    local = (0.1 * rng.standard_normal(local_s * WORK_RATE)).astype(np.float32)
    found = align_sounds(reference, local)
    assert not found.matched
    assert said in found.reason


def test_a_clock_goes_there_and_back():
    clock = Clock(4.88, -38.0)
    assert clock.to_local(clock.to_reference(1234.5)) == pytest.approx(1234.5)


@pytest.mark.parametrize("seed", [1, 2])
def test_one_clap_is_believed_where_talk_takes_turns_under_it(seed):
    """Among slams and knocks of each; what it cannot tell is said."""
    case = slated(300, seed, claps=1)
    found = align_sounds(case.reference, case.local)
    assert found.matched
    assert worst_ms(case, found) < 1.5
    assert "Listen whether answers follow" in found.reason


@pytest.mark.parametrize("seed", [3, 4])
def test_one_clap_of_two_conversations_lines_nothing_up(seed):
    case = slated(300, seed, claps=1, together=False)
    assert not align_sounds(case.reference, case.local).matched


def test_slams_and_knocks_alone_line_nothing_up():
    case = slated(600, 5, claps=0, others=8)
    assert not align_sounds(case.reference, case.local).matched


def test_one_clap_before_too_little_talk_is_believed_a_little():
    case = slated(61, 6, claps=1, others=0)
    soon = round(45 * WORK_RATE)
    found = align_sounds(case.reference[:soon], case.local[:soon])
    assert found.matched
    assert found.confidence == 0.5
    assert found.clock.offset_s == pytest.approx(case.offset_s, abs=0.002)


@pytest.mark.parametrize(("seed", "stop"), [(1, (113.1, 40.0)), (4, (196.8, 0.5)), (7, (171.1, 5.0))])
def test_a_recorder_that_stopped_is_placed_where_it_did(seed, stop):
    """To the nearest word: where its owner is silent, nothing tells one moment from another."""
    case = double_ender(420, seed, stop=stop)
    [found] = align_sounds(case.reference, case.local).breaks
    assert found.at_s == pytest.approx(stop[0], abs=0.75)
    assert found.jump_s == pytest.approx(stop[1], abs=0.002)


def test_talk_that_takes_turns_is_told_from_talk_at_once():
    sides = conversation(240, 12)
    one, two = at_work_rate_of(sides[0]), at_work_rate_of(sides[1])
    right, wrong = by_chance(one, two, [0.0, 37.0])
    assert right < 1e-3 < wrong
    assert by_chance(one[: 20 * WORK_RATE], two, [0.0]) == [1.0], "too little to tell"
