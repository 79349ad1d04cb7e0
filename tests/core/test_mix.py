"""The renderer: what is heard is what is there, whatever pieces it is asked for in."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pampa.core.errors import Cancelled
from pampa.core.executor import Threads
from pampa.core.loudness import measure_source, summarise
from pampa.core.mix.ducking import ducking_db, talk_curve
from pampa.core.mix.plan import plan_of
from pampa.core.mix.render import Mix, MonoSum
from pampa.core.mix.standing import standing_loudness, stretches
from pampa.core.mix.stretch import HOP, stretch
from pampa.core.rendition import Rendition
from pampa.core.sound import RATE, ArraySource
from pampa.core.timeline import arranging, cutting
from pampa.core.timeline.document import Clip, Document, Ducking, Track, check
from tests.core.documents import FRAMES, as_recorded, documents, ranges
from tests.signals import noise, silence, sine, talk


def mix_of(document, sounds, *, ducking=None, **options):
    sources = {Rendition(str(n)): ArraySource(sound) for n, sound in sounds.items()}
    frames = {number: len(sound) for number, sound in sounds.items()}
    plan = plan_of(document, as_recorded(document), levels={}, frames=frames, **options)
    stepping = () if ducking is None else (track.id for track in document.tracks if not track.linked)
    return Mix(plan, sources, dict.fromkeys(stepping, ducking))


def one_track(length, kind="person", **clip):
    return check(Document((Track(1, "Marisol Vey", kind, (Clip(10, 1, 0, 0, length, **clip),)),)))


SOUNDS = {number: noise(FRAMES / RATE, dbfs=-30, channels=2 if number == 3 else 1, seed=number) for number in (1, 2, 3)}


@given(st.data())
@settings(max_examples=60, deadline=None)
def test_any_division_into_ranges_gives_identical_bits(data):
    document = data.draw(documents())
    start, stop = data.draw(ranges(document))
    document = cutting.take_out(document, start=start, stop=stop)
    mix = mix_of(document, SOUNDS, ducking=np.linspace(0, -12, document.length // 960 + 2))
    whole = mix.read(0, mix.frames)
    a = data.draw(st.integers(0, mix.frames))
    b = data.draw(st.integers(a, mix.frames))
    assert np.array_equal(mix.read(a, b), whole[a:b])


def test_clips_shorter_than_their_cross_fades_sound_the_same_however_they_are_read():
    clips = tuple(Clip(10 + n, 1, 9000 - 3000 * n, 200 * n, 200) for n in range(4))
    mix = mix_of(check(Document((Track(1, "Marisol Vey", "person", clips),))), SOUNDS)
    whole = mix.read(0, mix.frames)
    apart = [mix.read(at, min(at + 65, mix.frames)) for at in range(0, mix.frames, 65)]
    assert np.array_equal(np.concatenate(apart), whole)


def test_an_untouched_recording_is_heard_as_it_is():
    sound = talk(3)
    mix = mix_of(one_track(len(sound)), {1: sound})
    middle = mix.read(1000, len(sound) - 1000)
    assert np.array_equal(middle, np.repeat(sound[1000:-1000], 2, axis=1))


def test_a_cut_makes_no_click_and_keeps_the_power():
    """Across the join of two unlike noises, the level stays within 1 dB and no sample jumps."""
    sound = noise(4, dbfs=-20)
    document = cutting.take_out(one_track(len(sound)), start=RATE, stop=2 * RATE)
    heard = mix_of(document, {1: sound}).read(0, document.length)[:, 0]
    join = heard[RATE - 288 : RATE + 288]
    assert 20 * np.log10(np.sqrt(np.mean(join**2)) / 0.1) == pytest.approx(0, abs=1)


def test_a_cut_of_a_tone_has_no_more_high_frequencies_than_the_tone():
    sound = sine(200, dbfs=-12, seconds=3)
    document = cutting.take_out(one_track(len(sound)), start=RATE + 77, stop=2 * RATE)
    heard = mix_of(document, {1: sound}).read(0, document.length)[:, 0]
    assert np.abs(np.diff(heard)).max() < 1.6 * np.abs(np.diff(sound[:, 0])).max()


def test_a_split_is_not_heard():
    sound = talk(3)
    document = one_track(len(sound))
    divided = arranging.split(document, at=RATE)
    a, b = (mix_of(d, {1: sound}).read(0, len(sound)) for d in (document, divided))
    assert np.array_equal(a, b)


def test_fades_and_gain_are_applied():
    sound = np.full((RATE, 1), 0.5, np.float32)
    document = one_track(RATE, kind="music", gain_db=-6.0206, fade_in=4800, fade_out=9600)
    heard = mix_of(document, {1: sound}).read(0, RATE)[:, 0]
    assert heard[RATE // 2] == pytest.approx(0.25, abs=1e-4)
    assert heard[2400] == pytest.approx(0.125, abs=1e-3)
    assert heard[-4800] == pytest.approx(0.125, abs=1e-3)
    assert abs(heard[0]) < 1e-4


def test_muted_tracks_are_silent_and_solo_hears_one():
    document = check(
        Document(
            (
                Track(1, "Marisol Vey", "person", (Clip(10, 1, 0, 0, RATE),), muted=True),
                Track(2, "Anders Quill", "person", (Clip(20, 2, 0, 0, RATE),)),
            )
        )
    )
    sounds = {1: np.full((RATE, 1), 0.3, np.float32), 2: np.full((RATE, 1), 0.1, np.float32)}
    assert mix_of(document, sounds).read(5000, 5001)[0, 0] == pytest.approx(0.1)
    assert mix_of(document, sounds, only=frozenset({1})).read(5000, 5001)[0, 0] == pytest.approx(0.3)


def test_music_is_down_when_the_first_word_comes_and_stays_down_over_short_pauses():
    talking = np.zeros(500)
    talking[100:150] = talking[165:250] = 1  # a pause of 0.3 s between
    curve = ducking_db(talking, Ducking(depth_db=12, attack_s=0.4, hold_s=0.6, release_s=1.0))
    assert curve[70] == 0
    assert curve[99:250] == pytest.approx(np.full(151, -12), abs=0.7)
    assert curve[279] == pytest.approx(-12)
    assert curve[340:].max() == 0
    assert np.abs(np.diff(curve)).max() <= 0.61


def test_talk_is_found_where_its_clips_lie():
    document = check(Document((Track(1, "Marisol Vey", "person", (Clip(10, 1, 96_000, 48_000, 96_000),)),)))
    active = np.zeros(400)
    active[110:130] = 1
    assert np.flatnonzero(talk_curve(document, {1: active})).tolist() == list(range(60, 80))


def test_the_standing_loudness_is_that_of_the_rendered_whole():
    sounds = {1: talk(90, dbfs=-22, seed=2), 2: talk(90, dbfs=-26, seed=5)}
    document = check(Document(tuple(Track(n, f"P{n}", "person", (Clip(10 * n, n, 0, 0, 90 * RATE),)) for n in (1, 2))))
    for start in (3.21, 17.5, 40.007):
        document = cutting.take_out(document, start=round(start * RATE), stop=round((start + 2.3) * RATE))
    mix = mix_of(document, sounds)
    standing, whole = summarise(standing_loudness(mix, {})), summarise(measure_source(mix))
    assert standing.integrated_lufs == pytest.approx(whole.integrated_lufs, abs=0.02)
    assert standing.loudness_range_lu == pytest.approx(whole.loudness_range_lu, abs=0.2)
    assert standing.true_peak_dbtp == pytest.approx(whole.true_peak_dbtp, abs=0.01)


def test_an_edit_near_the_beginning_leaves_nearly_all_stretches_as_they_were():
    sounds = {1: noise(300, seed=1, dbfs=-30)}
    document = one_track(300 * RATE)
    cache = {}
    standing_loudness(mix_of(document, sounds), cache, Threads(2))
    edited = cutting.take_out(document, start=10 * RATE, stop=12 * RATE)
    fresh = [s for s in stretches(mix_of(edited, sounds)) if s.key not in cache]
    assert 1 <= len(fresh) <= 4


def test_a_measurement_that_is_stopped_goes_on_where_it_was():
    mix = mix_of(one_track(30 * RATE), {1: noise(30, seed=1, dbfs=-30)})
    whole, cache, asked = standing_loudness(mix, {}), {}, []

    def stop():
        asked.append(len(cache))
        if len(asked) == 2:
            raise Cancelled

    with pytest.raises(Cancelled):
        standing_loudness(mix, cache, progress=stop)
    assert asked == [1, 2]
    assert summarise(standing_loudness(mix, cache)) == summarise(whole)


@pytest.mark.parametrize("speed", [1.25, 1.5, 2.0])
def test_faster_talk_keeps_its_pitch(speed):
    source = ArraySource(sine(220, dbfs=-12, seconds=4, channels=2))
    sound, _, _ = stretch(source, start=4800, hops=60, speed=speed, tail=None)
    spectrum = np.abs(np.fft.rfft(sound[:, 0] * np.hanning(len(sound))))
    assert np.argmax(spectrum) * RATE / len(sound) == pytest.approx(220, abs=2)
    assert 20 * np.log10(np.sqrt(np.mean(sound[HOP:] ** 2))) == pytest.approx(-15.05, abs=0.4)


def test_pieces_of_fast_talk_join_to_what_one_call_gives():
    source = ArraySource(np.repeat(talk(6), 2, axis=1))
    whole, end, _ = stretch(source, start=0, hops=90, speed=1.5, tail=None)
    place, tail, pieces = 0, None, []
    for hops in (7, 33, 50):
        piece, place, tail = stretch(source, start=place, hops=hops, speed=1.5, tail=tail)
        pieces.append(piece)
    assert np.array_equal(np.concatenate(pieces), whole)
    assert place == end


def test_the_mono_sum_is_the_mean_of_the_sides():
    sides = np.stack([np.full(100, 0.4), np.full(100, 0.2)], axis=1).astype(np.float32)
    assert MonoSum(ArraySource(sides)).read(0, 100) == pytest.approx(0.3)


def test_silence_renders_silence():
    assert not mix_of(one_track(RATE), {1: silence(1)}).read(0, RATE).any()
