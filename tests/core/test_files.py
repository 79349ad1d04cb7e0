"""Files of all kinds, good and bad: a correct result or a sentence that says what is wrong."""

import ast
import struct
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import av
import numpy as np
import pytest
import soundfile

from pampa.core.arrays import array_in, arrays_in
from pampa.core.errors import Cancelled, UnreadableSound
from pampa.core.files import child
from pampa.core.files.child import conform_in_child
from pampa.core.files.children import ask_child
from pampa.core.files.conform import conform, conformed_source, read_facts, settle
from pampa.core.files.decode import open_sound
from pampa.core.files.kept import Kept
from pampa.core.files.stalks import CELL, StalkWriter, read_stalks
from pampa.core.sound import RATE
from tests.signals import noise, silence, sine, talk


def write_aac(path, sound, rate):
    with av.open(str(path), "w") as container:
        stream = container.add_stream("aac", rate=rate)
        stream.codec_context.layout = "mono"
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound.T), format="fltp", layout="mono")
        frame.sample_rate = rate
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


@pytest.mark.parametrize(
    ("name", "subtype"),
    [("a.wav", "PCM_16"), ("a.wav", "PCM_24"), ("a.wav", "FLOAT"), ("a.flac", "PCM_24"), ("a.mp3", None),
     ("a.ogg", "VORBIS"), ("a.opus", "OPUS")],
)  # fmt: skip
def test_every_format_comes_in_at_its_level(tmp_path, name, subtype):
    path = tmp_path / name
    container = {"opus": "OGG"}.get(name.split(".")[1])
    soundfile.write(path, sine(440, dbfs=-12, seconds=2), RATE, subtype=subtype, format=container)
    facts = conform(path, tmp_path / "out")
    sound = conformed_source(tmp_path / "out").read(RATE // 2, RATE)
    assert facts.conformed_frames == pytest.approx(2 * RATE, abs=2500)
    assert 20 * np.log10(np.sqrt(np.mean(sound**2))) == pytest.approx(-15.05, abs=0.4)


@pytest.mark.parametrize("name", ["a.m4a", "a.mp4", "a.aac"])
def test_aac_comes_in_too(tmp_path, name):
    write_aac(tmp_path / name, sine(440, dbfs=-12, seconds=2), RATE)
    facts = conform(tmp_path / name, tmp_path / "out")
    assert facts.conformed_frames == pytest.approx(2 * RATE, abs=5000)
    assert "AAC" in facts.format


@pytest.mark.parametrize("rate", [8000, 11_025, 44_100, 96_000, 192_000])
def test_other_rates_become_48_khz_with_pitch_and_length_kept(tmp_path, rate):
    soundfile.write(tmp_path / "a.wav", sine(1000, dbfs=-6, seconds=2, rate=rate), rate, subtype="FLOAT")
    facts = conform(tmp_path / "a.wav", tmp_path / "out")
    assert facts.conformed_frames == pytest.approx(2 * RATE, abs=2)
    sound = conformed_source(tmp_path / "out").read(0, 2 * RATE)[:, 0]
    assert np.argmax(np.abs(np.fft.rfft(sound))) == 2000
    assert np.abs(sound[RATE // 2 : RATE]).max() == pytest.approx(0.501, abs=0.005)


def test_a_stereo_file_with_one_signal_twice_is_taken_as_one(tmp_path):
    soundfile.write(tmp_path / "a.wav", np.repeat(talk(2), 2, axis=1), RATE)
    facts = conform(tmp_path / "a.wav", tmp_path / "out")
    assert (facts.channels, facts.conformed_channels) == (2, 1)
    assert "one channel" in facts.notes[0]
    soundfile.write(tmp_path / "b.wav", noise(2, channels=2), RATE)
    assert conform(tmp_path / "b.wav", tmp_path / "out2").conformed_channels == 2


def test_channels_are_settled_as_asked():
    sides = np.array([[0.2, 0.4]], np.float32)
    assert settle(sides, "left")[0].tolist() == pytest.approx([0.2])
    assert settle(sides, "right")[0].tolist() == pytest.approx([0.4])
    assert settle(sides, "sum")[0].tolist() == pytest.approx([0.3])
    assert settle(sides, "keep").shape == (1, 2)
    assert settle(np.ones((1, 32), np.float32), "auto").tolist() == [[1.0]]


def test_32_channels_are_summed_and_it_is_said(tmp_path):
    soundfile.write(tmp_path / "a.wav", noise(1, channels=32), RATE)
    facts = conform(tmp_path / "a.wav", tmp_path / "out")
    assert facts.conformed_channels == 1
    assert "32 channels" in " ".join(facts.notes)


def test_samples_that_are_no_numbers_become_silence_and_are_counted(tmp_path):
    sound = talk(1)
    sound[100:103] = np.nan
    sound[200] = np.inf
    soundfile.write(tmp_path / "a.wav", sound, RATE, subtype="FLOAT")
    facts = conform(tmp_path / "a.wav", tmp_path / "out")
    assert facts.bad_samples == 4
    assert np.isfinite(conformed_source(tmp_path / "out").read(0, RATE)).all()


def test_a_truncated_file_gives_what_it_holds(tmp_path):
    soundfile.write(tmp_path / "a.flac", talk(4), RATE)
    whole = (tmp_path / "a.flac").read_bytes()
    (tmp_path / "a.flac").write_bytes(whole[: len(whole) // 2])
    facts = conform(tmp_path / "a.flac", tmp_path / "out")
    assert 0 < facts.conformed_frames < 4 * RATE
    assert "breaks off" in facts.notes[0]


def test_a_wrong_ending_does_not_matter(tmp_path):
    soundfile.write(tmp_path / "a.mp3", talk(2), RATE, format="MP3")
    (tmp_path / "a.mp3").rename(tmp_path / "a.wav")
    assert conform(tmp_path / "a.wav", tmp_path / "out").format.startswith("M")


@pytest.mark.parametrize(
    ("content", "message"),
    [
        (b"", "empty"),
        (b"These are show notes, not sound.", "could not be read as sound"),
        (b"RIFF\x24\x00\x00\x00WAVEfmt " + struct.pack("<IHHIIHH", 16, 1, 0, 48000, 0, 0, 16) + b"data\0\0\0\0", "."),
        (b"RIFF\x24\x00\x00\x00WAVEfmt " + struct.pack("<IHHIIHH", 16, 1, 1, 48000, 96000, 2, 16) + b"data\0\0\0\0",
         "only a header"),
        (bytes(range(256)) * 40, "could not be read"),
    ],
)  # fmt: skip
def test_what_is_not_sound_is_refused_with_a_sentence(tmp_path, content, message):
    (tmp_path / "a.wav").write_bytes(content)
    with pytest.raises(UnreadableSound, match=message):
        conform(tmp_path / "a.wav", tmp_path / "out")
    assert sorted(entry.name for entry in tmp_path.iterdir()) == ["a.wav"]


def test_a_missing_file_is_said_to_be_missing(tmp_path):
    with pytest.raises(UnreadableSound, match="There is no file"), open_sound(tmp_path / "none.wav"):
        pass


def test_the_child_gives_the_same_facts_and_tells_progress(tmp_path):
    soundfile.write(tmp_path / "a.wav", talk(20), RATE)
    shares = []
    facts = conform_in_child(tmp_path / "a.wav", tmp_path / "one", progress=shares.append)
    assert facts == conform(tmp_path / "a.wav", tmp_path / "two") == read_facts(tmp_path / "one")
    assert shares == sorted(shares)
    assert shares[-1] == 1.0


def test_the_child_can_be_stopped(tmp_path):
    soundfile.write(tmp_path / "a.wav", talk(20), RATE)

    def stopped(share):
        raise Cancelled

    with pytest.raises(Cancelled):
        conform_in_child(tmp_path / "a.wav", tmp_path / "out", progress=stopped)
    assert not (tmp_path / "out").exists()


def test_a_decoder_that_dies_is_an_error_not_a_crash(tmp_path, monkeypatch):
    soundfile.write(tmp_path / "a.wav", talk(1), RATE)
    monkeypatch.setattr(
        child, "ask_child", lambda module, told, progress: ask_child("tests.core.childish", "crash", progress)
    )
    with pytest.raises(UnreadableSound, match="too much memory or time"):
        conform_in_child(tmp_path / "a.wav", tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_stalks_hold_peak_and_average_at_every_level(tmp_path):
    writer = StalkWriter()
    sound = np.concatenate([silence(1), sine(997, dbfs=-20, seconds=1)])
    for block in np.array_split(sound, 7):
        writer.add(block)
    writer.write(tmp_path)
    cells = np.frombuffer(read_stalks(tmp_path, 0, 0, 10_000), np.uint8).reshape(-1, 2)
    assert len(cells) == 2 * RATE // CELL
    assert not cells[:99].any()
    db = cells[120].astype(float) / 255 * 96 - 96
    assert db == pytest.approx([-20, -23], abs=0.5)
    coarse = np.frombuffer(read_stalks(tmp_path, 2, 0, 100), np.uint8).reshape(-1, 2)
    assert coarse[2, 0] == cells[:, 0].max()


def test_many_threads_read_arrays_one_at_a_time(tmp_path, monkeypatch):
    """Two heads of arrays told from their letters at once are a SystemError now and then in CPython 3.11."""
    curve = np.arange(12.0)
    np.save(tmp_path / "a.npy", curve)
    np.savez(tmp_path / "b.npz", a=curve, b=curve + 1)
    told, busy, overlaps = ast.literal_eval, threading.Lock(), []

    def watched(text):
        overlaps.append(not busy.acquire(blocking=False))
        time.sleep(0.002)
        if not overlaps[-1]:
            busy.release()
        return told(text)

    monkeypatch.setattr(ast, "literal_eval", watched)
    with ThreadPoolExecutor(8) as threads:
        ones = list(threads.map(lambda _: array_in(tmp_path / "a.npy"), range(16)))
        sets = list(threads.map(lambda _: arrays_in(tmp_path / "b.npz"), range(16)))
    assert all(np.array_equal(one, curve) for one in ones)
    assert all(np.array_equal(each["b"], curve + 1) for each in sets)
    assert len(overlaps) == 48
    assert not any(overlaps)


def test_of_many_that_want_one_segment_one_computes_it(tmp_path):
    computed = []

    def compute(segment):
        computed.append(segment.index)
        time.sleep(0.05)
        return np.full((segment.stop - segment.start, 1), segment.index, np.float32)

    kept = Kept(tmp_path / "voice", 1, 50 * RATE, compute)
    with ThreadPoolExecutor(6) as threads:
        read = list(threads.map(lambda second: kept.read(second * RATE, second * RATE + 9), [1, 2, 3, 21, 22, 23]))
    assert sorted(computed) == [0, 1]
    assert [float(each.mean()) for each in read] == [0, 0, 0, 1, 1, 1]
    again = Kept(tmp_path / "voice", 1, 50 * RATE, lambda segment: pytest.fail("it lies in the folder"))
    assert np.array_equal(again.read(21 * RATE, 22 * RATE), np.ones((RATE, 1), np.float32))


def test_whoever_is_in_a_hurry_waits_for_a_beginning_only_and_the_whole_is_computed_when_more_is_read(tmp_path):
    computed = []

    def compute(segment):
        computed.append((segment.start / RATE, segment.stop / RATE))
        return np.arange(segment.start, segment.stop, dtype=np.float32)[:, None]

    kept = Kept(tmp_path / "voice", 1, 50 * RATE, compute)
    kept.hurry(19 * RATE, 24 * RATE)
    assert computed == [(0, 20), (20, 24.5)]
    assert kept.read(19 * RATE, 24 * RATE)[:, 0].tolist() == list(range(19 * RATE, 24 * RATE))
    kept.hurry(20 * RATE, 23 * RATE)
    assert len(computed) == 2
    assert not (tmp_path / "voice" / "1.f32").exists()  # a beginning is kept in memory alone
    assert kept.read(23 * RATE, 25 * RATE)[:, 0].tolist() == list(range(23 * RATE, 25 * RATE))
    assert computed[2:] == [(20, 40)]
    kept.hurry(-RATE, RATE)
    kept.hurry(49 * RATE, 60 * RATE)
    assert computed[3:] == [(40, 50)]


def test_whoever_waits_for_a_segment_that_fails_tries_it_anew(tmp_path):
    failing = iter([True, False])

    def compute(segment):
        if next(failing):
            raise OSError("no sound")
        return np.ones((segment.stop - segment.start, 1), np.float32)

    kept = Kept(tmp_path / "voice", 1, RATE, compute)
    with pytest.raises(OSError, match="no sound"):
        kept.read(0, 9)
    assert kept.read(0, 9).all()
