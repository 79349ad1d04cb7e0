"""Every process of Mend on sound whose truth is known, and all of them together."""

import json
from dataclasses import asdict

import numpy as np
import pytest
from scipy.ndimage import maximum_filter1d
from scipy.signal import oaconvolve

from pampa.core.checkup.clipping import ClipFinder
from pampa.core.checkup.examine import band_edges, in_bands
from pampa.core.errors import EditRefused
from pampa.core.mend import denoiser, profile, shaping, spectra
from pampa.core.mend.amounts import Amounts, amounts_of
from pampa.core.mend.clean import basis, chain, measure, mended
from pampa.core.mend.codec import pack, unpack
from pampa.core.mend.picture import COLUMNS, FINEST, HIGHEST_HZ, LOWEST_HZ, ROWS, tile
from pampa.core.mend.processes import PROCESS_NAMES, Facts
from pampa.core.mend.profile import followed, learned
from pampa.core.mend.report import deeds, marks
from pampa.core.mend.spectra import SIZE
from pampa.core.mend.spots import Spot, with_spots
from pampa.core.proposals.findings import Finding
from pampa.core.proposals.proposed import proposed
from pampa.core.sound import RATE, ArraySource, Segment
from pampa.core.timeline.document import Document
from pampa.core.timeline.mending import mend
from pampa.demo.assemble import ANDERS, MARISOL, VOICES, _dry
from tests.signals import noise, silence, sine

SECONDS = 30
NO_FACTS = Facts(np.zeros((0, 2)))
ALL = Amounts(
    polarity=True, drop_outs=100.0, clipping=80.0, hum=80.0, rumble=80.0, clicks=80.0, plosives=80.0, breaths=80.0,
    noise=80.0, hiss=60.0, reverb=80.0, gate=60.0, phase=True,
    spots=(Spot(19.9, 20.2), Spot(21, 21.5, "fill"), Spot(22.3, 24, "room")),
)  # fmt: skip


def voice(person, start_s, seconds=SECONDS, dbfs=-26.0):
    lines = json.loads((VOICES / "lines.json").read_text())
    dry = _dry(lines, person)[start_s * RATE : (start_s + seconds) * RATE].astype(np.float32)[:, None]
    return dry * np.float32(10 ** (dbfs / 20) / np.sqrt(np.mean(dry**2)))


@pytest.fixture(scope="module")
def speech():
    """Anders' dry lines, with a breath of hiss."""
    return voice(ANDERS, 30) + noise(SECONDS, dbfs=-85)


def after(sound, amounts, facts=NO_FACTS):
    source = ArraySource(sound)
    return chain(source, amounts, measure(source, amounts, facts)).read(0, source.frames)


def level(sound):
    return 10 * np.log10(np.mean(np.square(sound, dtype=np.float64)) + 1e-20)


def pauses(speech):
    """Frames where nobody has spoken for 0.3 s and nobody will."""
    loud = np.abs(speech[:, 0]) > 10 ** (-60 / 20)
    return ~near(loud, 0.3)


def near(where, seconds):
    """Frames within so many seconds of one of these."""
    return maximum_filter1d(where, 2 * round(seconds * RATE) + 1)


# -- single faults -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("db", [2, 3, 5])
def test_clipped_tops_are_rebuilt_and_nothing_else_is_touched(speech, db):
    loud = speech / np.abs(speech).max() * np.float32(0.9)
    limit = np.float32(0.9 * 10 ** (-db / 20))
    cut = np.clip(loud, -limit, limit)
    finder = ClipFinder(RATE)
    finder.add(cut)
    clipped = finder.found()
    out = after(cut, Amounts(clipping=100), Facts(clipped))
    better = level(cut - loud) - level(out - loud)
    assert better > 8
    elsewhere = np.ones(len(cut), bool)
    for start, stop in clipped:
        elsewhere[int(start * RATE) - 3 : int(stop * RATE) + 4] = False
    apart = elsewhere & (np.abs(cut[:, 0]) < 0.98 * limit)
    assert out[apart].tobytes() == cut[apart].tobytes()


def test_a_recording_that_is_clipped_all_along_is_left_alone():
    square = np.sign(sine(200, seconds=2)) * np.float32(0.8)
    assert np.isfinite(after(square, Amounts(clipping=100), Facts(np.array([[0.0, 2.0]])))).all()


def clicking(sound, seed, per_s=0.7):
    """Mouth clicks and ticks at seeded places: the sound with them, and where they begin, in frames."""
    rng = np.random.default_rng(seed)
    out, places = sound.copy(), []
    strength = 10 ** (level(sound) / 20)
    for second in np.arange(0.5, len(sound) / RATE - 0.5, 1 / per_s):
        at = round((second + rng.uniform(0, 0.4)) * RATE)
        t = np.arange(round(rng.uniform(0.001, 0.004) * RATE)) / RATE
        wave = sum(np.sin(2 * np.pi * rng.uniform(1800, 6500) * t + rng.uniform(0, 6)) for _ in range(3))
        wave *= np.exp(-t / rng.uniform(0.0004, 0.001)) * strength * rng.uniform(1.5, 4)
        out[at : at + t.size, 0] += wave
        places.append((at, at + t.size))
    return out.astype(np.float32), places


def test_clicks_are_found_and_taken_out_and_words_are_not(speech):
    spoilt, places = clicking(speech, 5)
    source = ArraySource(spoilt)
    known = measure(source, Amounts(clicks=100), NO_FACTS)
    out = chain(source, Amounts(clicks=100), known).read(0, source.frames)
    patches = known["clicks"]
    hits = [bool(((patches.starts < b) & (patches.stops > a)).any()) for a, b in places]
    assert np.mean(hits) >= 0.95
    # The voice has clicks of its own; what is found without ours is not counted.
    own = measure(ArraySource(speech), Amounts(clicks=100), NO_FACTS)["clicks"]
    known_places = [*places, *zip(own.starts.tolist(), own.stops.tolist(), strict=True)]
    false = [
        start
        for start, stop in zip(patches.starts, patches.stops, strict=True)
        if not any(start < b and stop > a for a, b in known_places)
    ]
    assert len(false) <= SECONDS / 60
    found = np.zeros(len(out), bool)
    for (a, b), hit in zip(places, hits, strict=True):
        found[a:b] = hit
    assert level((out - speech)[found]) < level((spoilt - speech)[found]) - 14
    fell = [
        level((spoilt - speech)[a:b]) - level((out - speech)[a:b])
        for (a, b), hit in zip(places, hits, strict=True)
        if hit
    ]
    assert np.median(fell) > 20
    touched = np.zeros(len(out), bool)
    for start, stop in zip(patches.starts, patches.stops, strict=True):
        touched[start:stop] = True
    assert out[~touched].tobytes() == spoilt[~touched].tobytes()


def test_a_recording_that_sets_in_and_breaks_off_within_a_word_does_not_click_there(speech):
    loud = np.flatnonzero(np.abs(speech[:, 0]) > 0.5 * np.abs(speech).max())
    cut = speech[loud[0] : loud[-1]]
    own = measure(ArraySource(speech), Amounts(clicks=100), NO_FACTS)["clicks"]
    found = measure(ArraySource(cut), Amounts(clicks=100), NO_FACTS)["clicks"]
    inside = (own.starts > loud[0] + RATE // 50) & (own.stops < loud[-1] - RATE // 50)
    assert len(found.starts) <= inside.sum()


def test_speech_without_clicks_keeps_its_samples():
    clean = voice(MARISOL, 60, seconds=20)
    patches = measure(ArraySource(clean), Amounts(clicks=100), NO_FACTS)["clicks"]
    assert patches is None or len(patches.starts) <= 2


def test_thumps_are_pressed_down_and_the_voice_above_stays(speech):
    t = np.arange(round(0.12 * RATE)) / RATE
    thump = np.sin(2 * np.pi * np.cumsum(np.linspace(70, 25, t.size)) / RATE) * np.exp(-t / 0.04)
    spoilt, places = speech.copy(), [3, 9, 14, 22]
    for second in places:
        spoilt[second * RATE : second * RATE + t.size, 0] += 0.4 * thump.astype(np.float32)
    out = after(spoilt, Amounts(plosives=100))
    inside = np.zeros(len(out), bool)
    for second in places:
        inside[second * RATE : second * RATE + t.size] = True
    assert level((out - speech)[inside]) < level((spoilt - speech)[inside]) - 10
    kept = ~near(inside, 0.25)
    assert level((out - spoilt)[kept]) < level(speech) - 40


def test_rumble_goes_and_the_voice_stays(speech):
    rumbling = speech + sine(22, dbfs=-30, seconds=SECONDS)
    out = after(rumbling, Amounts(rumble=100))
    assert level(out - speech) < level(rumbling - speech) - 12
    assert abs(level(out) - level(speech)) < 0.3


def test_breaths_are_lowered_by_what_was_asked_and_words_are_not(speech):
    rng = np.random.default_rng(3)
    quiet = np.flatnonzero(pauses(speech))
    runs = np.split(quiet, np.flatnonzero(np.diff(quiet) > 1) + 1)
    at = [int(run[len(run) // 2]) for run in runs if len(run) > 0.3 * RATE][:4]
    assert len(at) >= 2
    spoilt = speech.copy()
    size = round(0.35 * RATE)
    air = np.convolve(rng.standard_normal(size), [1, -0.9], "same") * np.hanning(size) * 10 ** (-42 / 20)
    for place in at:
        spoilt[place - size // 2 : place - size // 2 + size, 0] += air.astype(np.float32)
    out = after(spoilt, Amounts(breaths=50))
    for place in at:
        middle = slice(place - size // 6, place + size // 6)
        assert level(out[middle]) == pytest.approx(level(spoilt[middle]) - 12, abs=0.5)
    words = np.abs(speech[:, 0]) > 0.1 * np.abs(speech).max()
    assert np.mean(out[words] == spoilt[words]) > 0.98


# -- noise and room ------------------------------------------------------------------------------------------------


def test_unchanged_spectra_give_the_sound_back(speech):
    frames = spectra.spectra(ArraySource(speech), 10, 400)
    again = spectra.sound_of(frames)
    first = 10 * spectra.HOP
    assert np.abs(again - speech[first : first + len(again)]).max() < 1e-6


def test_fine_bins_tell_two_harmonics_apart_and_weigh_noise_as_groups_do():
    time = np.arange(RATE)[:, None] / RATE
    low_voice = sum(np.sin(2 * np.pi * 94 * k * time) for k in range(1, 8)).astype(np.float32)
    power = spectra.fine_powers(spectra.frames_of(low_voice))[20:60].mean(axis=0)
    width_hz = RATE / spectra.SLOWER / spectra.FINE_SIZE
    for k in range(2, 6):
        peak, dip = round(94 * k / width_hz), round(94 * (k + 0.5) / width_hz)
        assert power[peak] > 30 * power[dip]
    hiss = spectra.frames_of(noise(SECONDS, dbfs=-40))
    fine = spectra.fine_powers(hiss).mean()
    groups = spectra.powers(hiss)[:, spectra.fine_groups()].mean()
    assert 10 * np.log10(fine / groups) == pytest.approx(0, abs=0.2)


def test_gains_of_groups_become_gains_of_bins():
    ones = spectra.per_bin(np.full((3, spectra.GROUPS), 0.5, np.float32))
    assert ones.shape == (3, spectra.BINS)
    assert np.allclose(ones, 0.5)


def test_the_profile_follows_a_room_that_changes(speech):
    hiss = noise(SECONDS, dbfs=-60)
    hiss[SECONDS * RATE // 2 :] *= 4
    found = profile.followed(ArraySource(speech + hiss))
    middle = slice(20, 120)
    truth = [spectra.powers(spectra.spectra(ArraySource(part), 10, 900)).mean(axis=0)
             for part in (hiss[: SECONDS * RATE // 2], hiss[SECONDS * RATE // 2 :])]  # fmt: skip
    for row, power in ((1, truth[0]), (-2, truth[1])):
        assert 10 * np.log10(np.median(found.power[row, middle] / power[middle])) == pytest.approx(0, abs=3)


@pytest.mark.parametrize(("amount", "region"), [(50, False), (25, True), (75, True)])
def test_the_floor_goes_down_by_what_was_asked(speech, amount, region):
    noisy = speech + noise(SECONDS, dbfs=-55, seed=4)
    quiet = pauses(speech)
    first = int(np.flatnonzero(~near(~quiet, 0.5))[0]) - RATE // 2
    learned = {"noise_from": first / RATE, "noise_to": first / RATE + 1} if region else {}
    out = after(noisy, Amounts(noise=amount, **learned))
    assert level(noisy[quiet]) - level(out[quiet]) == pytest.approx({25: 7.5, 50: 20, 75: 37.5}[amount], abs=2)
    assert level(out - speech) < level(noisy - speech) - 3


def test_noise_is_lowered_from_the_first_moment_to_the_last(speech):
    noisy = noise(SECONDS, dbfs=-45, seed=4)
    noisy[4 * RATE : 12 * RATE] += speech[4 * RATE : 12 * RATE]
    out = after(noisy, Amounts(noise=75, noise_from=1, noise_to=3))
    for edge in (slice(RATE // 4), slice(-RATE // 4, None)):
        assert level(noisy[edge]) - level(out[edge]) > 30


def test_hiss_can_go_deeper_than_the_rest(speech):
    noisy = speech + noise(SECONDS, dbfs=-55, seed=4)
    out = after(noisy, Amounts(noise=20, hiss=60))
    quiet = pauses(speech)
    power = [np.abs(np.fft.rfft(sound[quiet, 0])) ** 2 for sound in (noisy, out)]
    hz = np.fft.rfftfreq(int(quiet.sum()), 1 / RATE)
    low, high = ((hz > f) & (hz < g) for f, g in ((500, 3500), (9000, 18000)))
    fell = [10 * np.log10(power[0][band].sum() / power[1][band].sum()) for band in (low, high)]
    assert fell[0] == pytest.approx(5.6, abs=2)
    assert fell[1] == pytest.approx(26.4, abs=3)


def test_where_only_hiss_is_lowered_the_lows_keep_what_they_have(speech):
    spoilt = speech + noise(SECONDS, dbfs=-45, seed=6)
    out = after(spoilt, Amounts(noise=0, hiss=60))
    changed = np.abs(np.fft.rfft((out - spoilt)[:, 0])) ** 2
    hz = np.fft.rfftfreq(len(spoilt), 1 / RATE)
    assert changed[hz < 3_500].sum() < 1e-4 * changed[hz > 9_000].sum()


def test_the_lows_of_a_sound_die_away_softly_and_a_frame_without_talk_is_closed():
    gains, power = np.full((200, spectra.GROUPS), 0.05, np.float32), np.ones((200, spectra.GROUPS), np.float32)
    gains[100] = 1
    kept = shaping.shaped(gains, power, 60)
    assert len(kept) == 200 - 2 * shaping.AROUND
    at = 100 - shaping.AROUND
    assert np.allclose(kept[at], 1, atol=0.01)
    steps = kept[at + shaping.HELD + 5 : at + shaping.MEMORY, 0] - 10 ** (-shaping.SURE_DB / 20)
    assert np.allclose(steps[1:] / steps[:-1], shaping.RELEASE, atol=0.01)
    assert kept[: at - 10].max() < 0.05 * 0.05
    assert kept[at + 2, -1] < 0.05, "only the lows"
    part = shaping.shaped(gains[40:170], power[40:170], 60)
    assert part.tobytes() == kept[40 : 40 + len(part)].tobytes()


@pytest.mark.parametrize("depth_db", [20, 40, 60])
def test_where_it_cannot_be_told_who_is_meant_half_as_much_is_taken(depth_db):
    power = np.ones((200, spectra.GROUPS), np.float32)
    lost, sure = np.full_like(power, 0.3), np.full_like(power, 0.02)
    least = 10 ** (-depth_db / 2 / 20)
    assert least < shaping.shaped(lost, power, depth_db).min() < least + 0.25
    assert shaping.shaped(sure, power, 60).max() < 0.002


def test_a_little_noise_is_taken_everywhere_alike_and_much_only_where_there_is_no_talk():
    power = np.ones((200, spectra.GROUPS), np.float32)
    power[:, 50:] = 1e-3
    gains = np.where(power < 1, 0.5, 0.95).astype(np.float32)
    gentle, deep = (shaping.shaped(gains, power, depth_db)[:, 90].mean() for depth_db in (8, 60))
    assert deep == pytest.approx(0.5**1.4, abs=0.01)
    assert gentle > 0.6


def test_good_quiet_speech_is_left_as_it_is(speech):
    assert level(after(speech, Amounts(noise=35)) - speech) < level(speech) - 35


def test_a_live_room_is_made_drier(speech):
    rng = np.random.default_rng(2)
    tail = rng.standard_normal(round(0.5 * RATE)) * np.exp(-6.91 * np.arange(round(0.5 * RATE)) / (0.5 * RATE))
    tail[: RATE // 50] = 0
    tail *= 0.7 / np.sqrt((tail**2).sum())
    late = oaconvolve(speech[:, 0], tail)[: len(speech), None].astype(np.float32)
    out = after(speech + late, Amounts(reverb=100))
    words = np.abs(speech[:, 0]) > 10 ** (-40 / 20)
    tails = near(words, 0.25) & ~near(words, 0.03)
    assert level(out[tails]) < level((speech + late)[tails]) - 4
    assert level(out[words]) > level((speech + late)[words]) - 2
    assert level(out - speech) < level(late)


def test_the_networks_give_gains_between_nothing_and_all():
    for task, inputs in denoiser.INPUTS.items():
        seen = np.random.default_rng(1).standard_normal((300, inputs)).astype(np.float32)
        gains = denoiser.gains(seen, task)
        assert gains.shape == (300 - 2 * denoiser.CONTEXT, spectra.GROUPS)
        assert (gains >= 0).all()
        assert (gains <= 1).all()
        part = denoiser.gains(seen[50:250], task)
        assert part.tobytes() == gains[50 : 250 - 2 * denoiser.CONTEXT].tobytes()


# -- all together --------------------------------------------------------------------------------------------------


def test_with_no_amount_it_is_the_very_same_source(speech):
    source = ArraySource(speech)
    assert chain(source, Amounts(), measure(source, Amounts(), NO_FACTS)) is source


def test_any_division_gives_the_same_bits(speech):
    spoilt, _ = clicking(speech + sine(50.02, dbfs=-50, seconds=SECONDS) + noise(SECONDS, dbfs=-60), 8)
    source = ArraySource(spoilt)
    known = measure(source, ALL, Facts(np.array([[3.0, 3.0005]]), room=lambda: (10.0, 10.6)))
    clean = chain(source, ALL, known)
    whole = clean.read(0, source.frames)
    for start, frames in ((0, 777), (12_345, 48_000), (20 * RATE, 5 * RATE), (29 * RATE + 7, RATE - 9)):
        assert clean.read(start, start + frames).tobytes() == whole[start : start + frames].tobytes()
    assert np.concatenate(list(mended(source, ALL, known))).tobytes() == whole.tobytes()
    outside = clean.read(source.frames - 10, source.frames + 50)
    assert not outside[10:].any()
    for name, value in known.items():
        again = unpack({key: np.asarray(part) for key, part in pack(value).items()})
        assert (
            chain(source, ALL, {name: again}).read(0, RATE).tobytes()
            == chain(source, ALL, {name: value}).read(0, RATE).tobytes()
        )


@pytest.mark.parametrize("sound", [silence(4), silence(0.01), noise(4, dbfs=-3, channels=2), sine(1000, seconds=4),
                                   np.ones((4 * RATE, 1), np.float32)])  # fmt: skip
def test_silence_full_scale_and_odd_signals_stay_finite(sound):
    out = after(sound, ALL)
    assert out.shape == sound.shape
    assert np.isfinite(out).all()
    if not sound.any():
        assert not out.any()


def test_one_process_can_be_heard_alone(speech):
    source = ArraySource(speech + noise(SECONDS, dbfs=-55))
    amounts = Amounts(noise=40, rumble=100)
    known = measure(source, amounts, NO_FACTS)
    alone = chain(source, amounts, known, only="rumble").read(0, RATE)
    assert alone.tobytes() == chain(source, Amounts(rumble=100), {"rumble": known["rumble"]}).read(0, RATE).tobytes()


def test_what_is_measured_hangs_on_what_comes_before_it_and_not_on_amounts():
    assert basis("noise", Amounts(noise=10, hum=20)) == basis("noise", Amounts(noise=90, hum=70))
    assert basis("noise", Amounts(noise=10)) != basis("noise", Amounts(noise=10, hum=1))
    assert basis("noise", Amounts(noise=10)) != basis("noise", Amounts(noise=10, noise_from=1, noise_to=2))
    assert basis("hum", Amounts(hum=10)) == basis("hum", Amounts(hum=10, noise=9, noise_from=1, noise_to=2))
    assert len(set(PROCESS_NAMES)) == len(PROCESS_NAMES)


def test_what_is_proposed_becomes_amounts():
    found = [Finding("noise", "", "noise", 35), Finding("phase", "", "phase", 100), Finding("sides", "", "split"),
             Finding("drop-out", "", "drop_outs", 100)]  # fmt: skip
    assert proposed(found, Amounts(noise=50, hum=10)) == Amounts(noise=50, hum=10, phase=True, drop_outs=100)


def test_deeds_and_marks_tell_what_was_done(speech):
    spoilt, places = clicking(speech, 5)
    known = measure(ArraySource(spoilt), Amounts(clicks=100, rumble=100, hum=100), NO_FACTS)
    told = {deed.process: deed.words for deed in deeds(known)}
    assert "hum" not in told, "there is none"
    assert told["clicks"] == f"{len(known['clicks'].starts)} clicks taken out"
    assert len(marks(known)) == len(known["clicks"].starts) <= len(places) + 6, "the voice has some of its own"


def test_a_spot_is_lowered_or_filled_and_the_rest_keeps_its_bits(speech):
    sound = speech.copy()
    clunk = slice(12 * RATE, 12 * RATE + RATE // 3)
    sound[clunk] += noise(1, dbfs=-20, seed=8)[: RATE // 3]
    low = ArraySource(sound)
    lowered = Amounts(spots=(Spot(12, 12 + 1 / 3, "lower", 20),))
    out = chain(low, lowered, measure(low, lowered, NO_FACTS)).read(0, low.frames)
    inner = slice(clunk.start + RATE // 50, clunk.stop - RATE // 50)
    assert level(out[inner]) == pytest.approx(level(sound[inner]) - 20, abs=0.5)
    filled = Amounts(spots=(Spot(11.99, 12.35, "fill"),))
    out = chain(low, filled, measure(low, filled, NO_FACTS)).read(0, low.frames)
    assert level(out[inner]) < level(sound[inner]) - 10
    assert out[: 11 * RATE].tobytes() == sound[: 11 * RATE].tobytes()
    assert out[13 * RATE :].tobytes() == sound[13 * RATE :].tobytes()
    banded = Amounts(spots=(Spot(12, 12 + 1 / 3, "lower", 40, 4000, 24000),))
    out = chain(low, banded, measure(low, banded, NO_FACTS)).read(0, low.frames)
    power = [np.abs(np.fft.rfft(part[inner, 0])) ** 2 for part in (sound, out)]
    hz = np.fft.rfftfreq(inner.stop - inner.start, 1 / RATE)
    assert 10 * np.log10(power[1][hz > 5000].sum() / power[0][hz > 5000].sum()) < -30
    assert abs(10 * np.log10(power[1][hz < 3000].sum() / power[0][hz < 3000].sum())) < 0.1
    assert amounts_of(asdict(banded)) == banded
    assert banded.alike() == Amounts()
    with pytest.raises(EditRefused, match="empty"):
        mend(Document(), recordings=[3], amounts={"spots": [{"start_s": 2, "stop_s": 2}]})


@pytest.mark.parametrize("seconds", [0.3, 2.5])
def test_of_a_place_that_is_silenced_only_the_room_is_left(seconds):
    sound = noise(20, dbfs=-60, seed=3)
    clunk = slice(12 * RATE, round((12 + seconds) * RATE))
    sound[clunk] += noise(3, dbfs=-20, seed=8)[: clunk.stop - clunk.start]
    source, silenced = ArraySource(sound), Amounts(spots=(Spot(12, 12 + seconds, "room"),))
    known = measure(source, silenced, Facts(np.zeros((0, 2)), room=lambda: (2.0, 2.8)))
    out = chain(source, silenced, known).read(0, source.frames)
    inner = slice(clunk.start + RATE // 50, clunk.stop - RATE // 50)
    assert level(out[inner]) == pytest.approx(-60, abs=1.0)
    assert out[: clunk.start].tobytes() == sound[: clunk.start].tobytes()
    assert out[clunk.stop :].tobytes() == sound[clunk.stop :].tobytes()
    banded = Amounts(spots=(Spot(12, 12 + seconds, "room", low_hz=6000),))
    kept = chain(source, banded, known).read(0, source.frames)
    assert level(kept[inner]) == pytest.approx(-26, abs=0.7), "what lies under the band stays: a quarter"


def test_what_is_taken_for_noise_is_told_in_the_bands_of_the_check_up():
    source = ArraySource(noise(12, dbfs=-50, seed=6))
    for known in (learned(source, 2 * RATE, 6 * RATE), followed(source)):
        told = np.array(in_bands(known.spectrum, SIZE))
        hz = np.sqrt(band_edges()[1:] * band_edges()[:-1])
        width = np.diff(band_edges())
        middle = (hz > 300) & (hz < 15_000)
        expected = -50 + 10 * np.log10(width / (RATE / 2))
        assert np.abs(told - expected)[middle].max() < 1.5
        assert abs(np.mean((told - expected)[middle])) < 0.8


def test_without_a_quiet_place_a_silenced_place_is_filled_from_around(speech):
    source = ArraySource(speech)
    wanted = {how: Amounts(spots=(Spot(12, 12.4, how),)) for how in ("room", "fill")}
    out = {
        how: chain(source, each, measure(source, each, NO_FACTS)).read(0, source.frames) for how, each in wanted.items()
    }
    assert out["room"].tobytes() == out["fill"].tobytes()


def test_mending_is_an_edit():
    document = mend(Document(), recordings=[3, 4], amounts={"noise": 40})
    assert document.amounts(4) == Amounts(noise=40)
    assert document.amounts(5) == Amounts()
    assert mend(document, recordings=[3, 4], amounts={}) == Document()
    with pytest.raises(EditRefused, match="too short"):
        mend(document, recordings=[3], amounts={"noise": 40, "noise_from": 2, "noise_to": 2.1})


def test_a_picture_shows_a_tone_in_its_band_and_its_time():
    sound = silence(4)
    sound[2 * RATE :] = sine(1000, dbfs=-20, seconds=2)
    zoom = 5
    picture = tile(ArraySource(sound), zoom, 0)
    assert picture.shape == (COLUMNS, ROWS)
    column = round(3 * RATE / (FINEST << zoom))
    row = int(np.log(1000 / LOWEST_HZ) / np.log(HIGHEST_HZ / LOWEST_HZ) * ROWS)
    assert abs(int(np.argmax(picture[column])) - row) <= 1
    assert not picture[: round(1.8 * RATE / (FINEST << zoom))].any()
    assert not tile(ArraySource(sound), 0, 10_000).any(), "after the end there is nothing"
    assert tile(ArraySource(sound), 9, 0).any()


@pytest.mark.parametrize("how", ["lower", "fill", "room"])
def test_a_place_of_ten_minutes_is_worked_in_pieces(how):
    """All its spectra used to be computed for every segment: 1.4 GB for an hour."""
    sound = noise(5, dbfs=-40)

    class Long:
        rate, channels, frames, longest = RATE, 1, 600 * RATE, 0

        def read(self, start, stop):
            self.longest = max(self.longest, stop - start)
            return sound[np.arange(start, stop) % len(sound)]

    source = Long()
    segment = Segment(20, 400 * RATE, 420 * RATE)
    changed = with_spots(source, segment, [Spot(1.0, 599.0, how, 12)], np.array([0, 2 * RATE]))
    assert not np.array_equal(changed, source.read(segment.start, segment.stop))
    assert source.longest < 21 * RATE
