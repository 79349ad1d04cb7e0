"""Sending out: the file itself, decoded again, is on target, or the sheet says why not."""

import numpy as np
import pytest
import soundfile
from mutagen.flac import FLAC
from mutagen.id3 import ID3
from mutagen.wave import WAVE

from pampa.core.deliver.formats import Format, format_of, rate_for
from pampa.core.deliver.limiter import Limited
from pampa.core.deliver.solve import Aim, measure_parts, solve
from pampa.core.errors import Cancelled, SignalError
from pampa.core.executor import Inline, Threads
from pampa.core.files.deliver import deliver, finished, measure_file
from pampa.core.files.encode import quantise
from pampa.core.files.tags import Tags
from pampa.core.loudness import measure
from pampa.core.sound import RATE, ArraySource, db_to_gain
from tests.signals import noise, silence, talk


def programme(seconds=24, *, channels=2, dbfs=-26, claps=3, seed=4, rate=RATE):
    """Talk with some claps near full scale: what makes a limiter necessary."""
    sound = talk(seconds, dbfs=dbfs, seed=seed, rate=rate)
    rng = np.random.default_rng(seed)
    for at in rng.integers(rate, len(sound) - rate, claps):
        burst = rng.standard_normal(rate // 100) * np.exp(-np.arange(rate // 100) / (rate / 500))
        sound[at : at + burst.size, 0] += (0.5 * burst / np.abs(burst).max()).astype(np.float32)
    return ArraySource(np.repeat(sound, channels, axis=1), rate)


@pytest.mark.parametrize("name", ["a.wav", "a.flac", "a.mp3"])
@pytest.mark.parametrize(("channels", "target"), [(2, -16.0), (1, -19.0)])
def test_the_file_decoded_again_is_on_target_and_under_the_ceiling(tmp_path, name, channels, target):
    path = tmp_path / name
    sheet = deliver(programme(channels=channels), path, format_of(path.name), Aim(target), executor=Threads(2))
    sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
    reading = measure(sound, rate)
    assert sheet.met
    assert reading.integrated_lufs == pytest.approx(target, abs=0.1)
    assert reading.true_peak_dbtp <= -1.0
    assert [entry.name for entry in tmp_path.iterdir()] == [name]


@pytest.mark.parametrize("kbit", [64, 128, 192, 320])
def test_every_bit_rate_is_on_target(tmp_path, kbit):
    """An encoder shifts the level by up to half a dB and raises peaks: both are taken out."""
    path = tmp_path / "a.mp3"
    sheet = deliver(programme(20), path, Format("mp3", kbit=kbit), Aim(-14.0), executor=Threads(2))
    assert sheet.met
    assert sheet.rounds <= 2
    assert measure_file(path)[0].true_peak <= db_to_gain(-1.0)


@pytest.mark.parametrize("fmt", [Format("wav", 16), Format("flac", 16), Format("flac", 24)])
@pytest.mark.parametrize("rate", [8000, 44_100, 96_000])
def test_other_rates_and_widths_are_on_target(tmp_path, fmt, rate):
    path = tmp_path / f"a.{fmt.kind}"
    sheet = deliver(programme(8, rate=rate), path, fmt, Aim(-16.0))
    assert sheet.met
    assert soundfile.info(path).samplerate == rate
    assert soundfile.info(path).subtype == f"PCM_{fmt.bits}"


def test_a_target_out_of_reach_is_said_and_the_best_file_is_written(tmp_path):
    path = tmp_path / "a.wav"
    dense = ArraySource(np.clip(noise(10, dbfs=-8, channels=2), -0.9, 0.9))
    sheet = deliver(dense, path, Format("wav"), Aim(-2.0))
    assert not sheet.met
    assert "limiting" in sheet.reason
    assert sheet.limiting_loss_lu <= 3.0
    assert measure_file(path)[0].true_peak <= db_to_gain(-1.0)


def test_silence_is_written_as_it_is_and_said_to_be_silent(tmp_path):
    sheet = deliver(ArraySource(silence(3, channels=2)), tmp_path / "a.flac", Format("flac"), Aim())
    assert not sheet.met
    assert "silent" in sheet.reason
    assert sheet.loudness.integrated_lufs is None


def test_stopping_leaves_nothing_behind(tmp_path):
    def stop(doing, share):
        if doing == "Writing":
            raise Cancelled

    with pytest.raises(Cancelled):
        deliver(programme(25), tmp_path / "a.wav", Format("wav"), Aim(), progress=stop)
    assert list(tmp_path.iterdir()) == []


def test_a_delivery_that_fails_keeps_the_file_that_was_there(tmp_path):
    path = tmp_path / "a.wav"
    path.write_bytes(b"last week's")
    with pytest.raises(SignalError):
        deliver(programme(4, channels=3), path, Format("mp3"), Aim())
    assert path.read_bytes() == b"last week's"


@pytest.mark.parametrize("name", ["a.wav", "a.flac", "a.mp3"])
def test_tags_are_written_in_the_form_of_each_format(tmp_path, name):
    path = tmp_path / name
    tags = Tags("The Pilot Ladder", "Slack Water", "Marisol Vey", 12, "2026-11-23")
    deliver(programme(3), path, format_of(path.name), Aim(), tags=tags)
    if name == "a.flac":
        assert FLAC(path)["title"] == ["The Pilot Ladder"]
        return
    id3 = ID3(path) if name == "a.mp3" else WAVE(path).tags
    assert (id3["TIT2"].text, id3["TALB"].text, str(id3["TDRC"].text[0])) == (
        ["The Pilot Ladder"],
        ["Slack Water"],
        "2026-11-23",
    )


def test_the_limiter_gives_identical_bits_for_any_range():
    limited = Limited(programme(20, claps=12), db_to_gain(12), db_to_gain(-1))
    whole = limited.read(0, limited.frames)
    rng = np.random.default_rng(1)
    for _ in range(25):
        a, b = sorted(rng.integers(0, limited.frames, 2))
        assert np.array_equal(limited.read(a, b), whole[a:b])


def test_the_limiter_leaves_alone_what_is_under_the_ceiling():
    source = programme(5, claps=0)
    assert np.array_equal(Limited(source, 1.0, 0.99).read(0, source.frames), source.data)


def test_the_limiter_holds_the_true_peak_and_lets_go_again():
    source = programme(10, claps=4)
    limited = Limited(source, db_to_gain(15), db_to_gain(-1))
    assert measure(limited.read(0, source.frames)).true_peak_dbtp <= -0.95
    reduction = limited.reduction_db(0, source.frames)
    assert reduction.max() > 3
    assert (reduction == 0).mean() > 0.5
    assert np.abs(np.diff(reduction)).max() < reduction.max() / 60


def test_what_is_finished_in_any_order_is_the_same(tmp_path):
    """Rendered twice, with different worker counts: identical bits before the encoder."""
    source = programme(65)
    solution = solve(source, measure_parts(source), Aim(-14))
    one, two = (np.concatenate(list(finished(source, solution, e))) for e in (Inline(), Threads(3)))
    assert np.array_equal(one, two)


def test_sixteen_bits_are_dithered_and_24_are_not():
    quiet = np.full((RATE, 1), 0.3 / 32768, np.float32)
    dithered = quantise(quiet, 16, 0) >> 16
    assert set(np.unique(dithered)) <= {-1, 0, 1}
    assert dithered.mean() == pytest.approx(0.3, abs=0.02)  # TPDF keeps the mean: nothing is lost under the last bit
    assert np.array_equal(quantise(quiet, 16, 5), quantise(quiet, 16, 5))
    assert len(np.unique(quantise(quiet, 24, 0))) == 1


def test_formats_refuse_what_they_cannot_hold(tmp_path):
    with pytest.raises(SignalError, match="bit rate"):
        Format("mp3", kbit=77).checked(rate=48_000, channels=2)
    with pytest.raises(SignalError, match="one or two"):
        Format("mp3").checked(rate=48_000, channels=6)
    with pytest.raises(SignalError, match="16 or 24"):
        Format("wav", bits=12).checked(rate=48_000, channels=2)
    with pytest.raises(SignalError, match="Pampa writes"):
        format_of("a.txt")
    assert rate_for("mp3", 96_000) == 48_000
    assert rate_for("wav", 96_000) == 96_000
