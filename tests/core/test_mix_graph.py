"""The graph of the mix: pieces with envelopes, tracks that are sent elsewhere too, and buses on the way."""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import pytest

from pampa.core.errors import EditRefused
from pampa.core.loudness import measure_source, summarise
from pampa.core.mix.room import ring_frames
from pampa.core.mix.standing import standing_loudness, stretches
from pampa.core.mix.tails import sounds_until
from pampa.core.sound import RATE, ArraySource, db_to_gain
from pampa.core.special.heard import SpecialVoice
from pampa.core.special.kinds import KINDS, Special
from pampa.core.timeline import arranging, cutting, lining, mixing
from pampa.core.timeline.codec import decode, encode
from pampa.core.timeline.document import Bus, Clip, Document, Track, check
from tests.core.test_mix import mix_of
from tests.signals import noise, talk

LONG = 8 * RATE
SOUNDS = {1: noise(8, dbfs=-20, seed=1), 2: noise(8, dbfs=-26, channels=2, seed=2)}
EPISODE = check(
    Document(
        (
            Track(1, "Marisol Vey", "person", (Clip(10, 1, 0, 0, LONG),)),
            Track(2, "Music", "music", (Clip(11, 2, 0, 0, LONG),)),
        )
    )
)


@dataclass(frozen=True)
class Echo:
    """What comes in, once more after a while: a tail that is easily told."""

    run_in: int = 5000
    look_ahead: int = 0

    def work(self, sound):
        return sound + np.concatenate([np.zeros((self.run_in, 2), np.float32), sound[: -self.run_in]])


def heard(document):
    return mix_of(document, SOUNDS).read(0, LONG)


def test_a_bus_at_rest_changes_no_bit():
    moved = mixing.set_bus(EPISODE, bus="music", gain_db=-6.0)
    assert moved.buses == (Bus("music", -6.0),)
    back = mixing.set_bus(moved, bus="music", gain_db=0.0)
    assert back == EPISODE
    assert np.array_equal(heard(back), heard(EPISODE))


def test_a_bus_raises_or_mutes_all_that_comes_in_and_nothing_else():
    talk = heard(mixing.set_bus(EPISODE, bus="music", muted=True))
    lower = heard(mixing.set_bus(EPISODE, bus="music", gain_db=-6.0))
    assert np.allclose(lower - talk, (heard(EPISODE) - talk) * db_to_gain(-6), atol=1e-6)
    assert (
        np.allclose(talk[:, 0], SOUNDS[1][:, 0], atol=1e-6)
        or np.abs(talk[1000:-1000, 0] - SOUNDS[1][1000:-1000, 0]).max() < 1e-6
    )


def test_a_send_adds_a_copy_through_another_bus():
    sent = mixing.set_send(EPISODE, track=1, bus="effects", level_db=-12.0)
    assert np.allclose(
        heard(sent) - heard(EPISODE), db_to_gain(-12) * heard(replace(EPISODE, tracks=EPISODE.tracks[:1])), atol=1e-6
    )
    assert mixing.set_send(sent, track=1, bus="effects") == EPISODE
    with pytest.raises(EditRefused, match="its own bus"):
        mixing.set_send(EPISODE, track=2, bus="music", level_db=0.0)


def test_an_envelope_is_straight_in_db_between_its_points_and_held_beyond():
    document = mixing.set_envelope(
        replace(EPISODE, tracks=EPISODE.tracks[:1]), clip=10, points=[[2 * RATE, 0], [4 * RATE, -20]]
    )
    ratio = heard(document)[:, 0] / SOUNDS[1][:, 0]
    for second, db in ((1, 0), (2.5, -5), (3, -10), (6, -20)):
        assert 20 * np.log10(ratio[int(second * RATE)]) == pytest.approx(db, abs=0.01)


def test_an_envelope_stays_with_its_words_through_cuts_slips_and_clocks():
    points = [[3 * RATE, 0], [4 * RATE, -12]]
    document = mixing.set_envelope(replace(EPISODE, tracks=EPISODE.tracks[:1]), clip=10, points=points)
    whole, cut = heard(document), heard(cutting.take_out(document, start=RATE, stop=2 * RATE))
    assert np.array_equal(cut[2 * RATE : 5 * RATE], whole[3 * RATE : 6 * RATE])
    split = arranging.split(document, at=RATE)
    assert np.array_equal(heard(split), whole)
    assert arranging.join(split, at=RATE) == document
    move = {"track": 1, "recording": 1, "frames": LONG, "was_frames": LONG, "drift_ppm": 100.0, "by": 0, "breaks": []}
    clocked = lining.line_up(document, tracks=[move])
    assert clocked.tracks[0].clips[0].envelope[0][0] == round(3 * RATE * 1.0001)


@pytest.mark.parametrize("points", [[[0, 0], [0, -3]], [[5, 0, 1]], [[-1, 0]], [[0, 99]]])
def test_an_envelope_that_makes_no_sense_is_refused(points):
    with pytest.raises(EditRefused):
        mixing.set_envelope(EPISODE, clip=10, points=points)


def with_echo(document):
    mix = mix_of(mixing.set_bus(document, bus="music", gain_db=-3.0), SOUNDS)
    plan = replace(mix.plan, strips=tuple(replace(strip, processors=(Echo(),)) for strip in mix.plan.strips))
    return replace(mix, plan=plan)


def test_any_division_gives_identical_bits_also_through_a_bus_with_a_tail():
    mix = with_echo(EPISODE)
    assert mix.plan.tail == 5000
    whole = mix.read(0, LONG)
    pieces = [mix.read(at, min(at + 7777, LONG)) for at in range(0, LONG, 7777)]
    assert np.array_equal(np.concatenate(pieces), whole)


def test_the_standing_loudness_reaches_back_as_far_as_the_longest_tail():
    mix = with_echo(EPISODE)
    standing = summarise(standing_loudness(mix, {}))
    assert standing.integrated_lufs == pytest.approx(summarise(measure_source(mix)).integrated_lufs, abs=0.02)
    plain = {stretch.key for stretch in stretches(mix_of(EPISODE, SOUNDS))}
    assert not plain & {stretch.key for stretch in stretches(mix)}


def test_what_is_kept_of_the_graph_comes_back_the_same():
    document = mixing.set_envelope(EPISODE, clip=11, points=[[0, -3.5], [RATE, 0]])
    document = mixing.set_send(mixing.set_bus(document, bus="voices", gain_db=1.5), track=2, bus="effects", level_db=-9)
    assert decode(encode(document)) == document


def test_the_room_rings_on_after_what_is_sent_and_any_division_gives_its_bits():
    piece = replace(EPISODE.tracks[1].clips[0], length=2 * RATE)
    dry = EPISODE.with_track(replace(EPISODE.tracks[1], clips=(piece,)))
    wet = mixing.send_clip(dry, clip=11, bus="room", level_db=-6.0)
    mix = mix_of(wet, SOUNDS)
    whole = mix.read(0, LONG)
    tail = (whole - heard(dry))[2 * RATE + 3000 : 3 * RATE]
    assert 0.002 < np.sqrt(np.mean(tail**2)) < 0.1
    assert abs(np.corrcoef(tail.T)[0, 1]) < 0.1
    for a, b in ((0, 50_000), (90_001, 200_000), (131_000, 131_200)):
        assert np.array_equal(mix.read(a, b), whole[a:b])
    muted = mixing.set_bus(wet, bus="music", muted=True)
    assert np.array_equal(heard(muted), heard(mixing.set_bus(dry, bus="music", muted=True)))


def test_a_pressed_bus_holds_a_sum_and_leaves_one_voice_alone():
    level = db_to_gain(-24)
    tracks = tuple(Track(n, f"P{n}", "person", (Clip(10 + n, n, 0, 0, LONG),)) for n in (1, 2))
    sounds = {n: noise(8, dbfs=-20, seed=3) * np.float32(level / db_to_gain(-20)) for n in (1, 2)}
    one = mixing.set_bus(Document(tracks[:1]), bus="voices", pressed=100.0)
    both = mixing.set_bus(Document(tracks), bus="voices", pressed=100.0)
    alone, sum_ = mix_of(one, sounds).read(RATE, 4 * RATE), mix_of(both, sounds).read(RATE, 4 * RATE)
    plain = mix_of(Document(tracks), sounds).read(RATE, 4 * RATE)
    taken = 20 * np.log10(np.sqrt(np.mean(plain**2)) / np.sqrt(np.mean(sum_**2)))
    assert 20 * np.log10(np.sqrt(np.mean(sounds[1] ** 2)) / np.sqrt(np.mean(alone[:, 0] ** 2))) < taken - 2
    assert np.array_equal(mix_of(both, sounds).read(RATE + 77, 2 * RATE), sum_[77:RATE])


@pytest.mark.parametrize(("shape", "middle"), [("natural", 0.5), ("power", 0.7071), ("straight", 0.0316)])
def test_fades_have_shapes(shape, middle):
    clip = Clip(10, 1, 0, 0, LONG, fade_out=RATE, shape_out=shape)
    mix = mix_of(Document((Track(1, "Music", "music", (clip,)),)), {1: np.ones((LONG, 1), np.float32)})
    assert mix.read(LONG - RATE // 2, LONG - RATE // 2 + 1)[0, 0] == pytest.approx(middle, abs=2e-4)


def test_a_ride_lifts_a_stretch_with_soft_shoulders_over_what_was_there_and_is_taken_back():
    once = mixing.ride(EPISODE, start=2 * RATE, stop=3 * RATE, db=-6.0, tracks=[2])
    change = heard(once)[:, 1] - heard(EPISODE)[:, 1]
    assert not change[: RATE + RATE // 2].any()
    assert not change[3 * RATE + RATE // 2 :].any()
    twice = mixing.ride(once, start=2 * RATE, stop=4 * RATE, db=2.0, tracks=[2])
    levels = dict(twice.tracks[1].clips[0].envelope)
    assert levels[2 * RATE] == -4.0
    assert levels[4 * RATE] == 2.0
    back = mixing.ride(once, start=2 * RATE, stop=3 * RATE, db=6.0, tracks=[2])
    assert back == EPISODE
    with pytest.raises(EditRefused, match="no sound in this stretch"):
        mixing.ride(EPISODE, start=20 * RATE, stop=21 * RATE, db=-6.0, tracks=[2])


def test_what_runs_on_over_a_split_still_does_after_a_ride():
    parted = arranging.split(EPISODE, at=2 * RATE, tracks=[2])
    ridden = mixing.ride(parted, start=RATE, stop=3 * RATE, db=-6.0, tracks=[2])
    assert np.array_equal(heard(ridden), heard(mixing.ride(EPISODE, start=RATE, stop=3 * RATE, db=-6.0, tracks=[2])))


@pytest.mark.parametrize("kind", KINDS)
def test_a_special_voice_is_dry_at_0_heard_at_100_and_the_same_in_any_division(kind):
    source = ArraySource(talk(4))
    assert np.array_equal(
        SpecialVoice(source, Special(kind, 0.0)).read(0, source.frames), source.read(0, source.frames)
    )
    whole = SpecialVoice(source, Special(kind, 100.0)).read(0, source.frames)
    parts = [
        SpecialVoice(source, Special(kind, 100.0)).read(a, b) for a, b in pairwise((0, 9_000, 70_001, source.frames))
    ]
    assert np.array_equal(np.concatenate(parts), whole)
    changed = 20 * np.log10(np.std(whole) / np.std(source.data))
    assert -14 < changed < 6
    assert np.corrcoef(whole[:, 0], source.data[:, 0])[0, 1] < 0.99


def test_two_words_through_a_phone_and_back():
    told = {"track": 1, "start": RATE, "stop": 2 * RATE, "kind": "phone"}
    once = mixing.special_stretch(EPISODE, amount=100.0, **told)
    assert [clip.special and clip.special.kind for clip in once.tracks[0].clips] == [None, "phone", None]
    assert decode(encode(once)) == once
    assert mixing.special_stretch(once, amount=0.0, **told) == EPISODE


def test_a_piece_that_is_sent_to_a_bus_at_rest_is_heard_there_too():
    sent = mixing.send_clip(EPISODE, clip=11, bus="effects", level_db=0.0)
    music = heard(EPISODE) - heard(mixing.set_bus(EPISODE, bus="music", muted=True))
    assert np.allclose(heard(sent) - heard(EPISODE), music, atol=1e-6)


def test_a_room_rings_on_after_the_last_clip_and_the_episode_with_it():
    dry = EPISODE
    last = max((clip for track in dry.tracks for clip in track.clips), key=lambda clip: clip.end)
    assert sounds_until(dry) == dry.length
    sent = mixing.send_clip(dry, clip=last.id, bus="room", level_db=-6.0)
    assert sounds_until(sent) == dry.length + ring_frames("hall")
    assert sounds_until(mixing.set_bus(sent, bus="room", room="small")) == dry.length + ring_frames("small")
    assert sounds_until(mixing.set_bus(sent, bus="room", muted=True)) == dry.length
