"""Files that are damaged, half-written, or meant to do harm, each with what it must give."""

import json
import struct
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile

from pampa.core.checkup.examine import examine
from pampa.core.errors import EditRefused, UnreadableSound
from pampa.core.files.child import conform_in_child
from pampa.core.files.confine import confine
from pampa.core.files.conform import conform, conformed_source
from pampa.core.files.cut_child import read_cut_in_child
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import chain, measure
from pampa.core.mend.processes import Facts as MendFacts
from pampa.core.sound import RATE
from tests.core.test_exchange import MEDIA, marked
from tests.signals import noise, talk
from tests.trust.scenario import start

SECONDS = 8
FLIPPED, HOLE = 3, 3000


@pytest.fixture(scope="module")
def sound():
    """Nothing in it repeats, so that it is known where each part lies."""
    return np.float32(0.2) * noise(SECONDS, dbfs=-20)


@pytest.fixture(scope="module")
def whole_files(tmp_path_factory, sound):
    """The sound in every format that can be damaged."""
    folder = tmp_path_factory.mktemp("whole")
    for ending, options in {
        "flac": {}, "mp3": {"subtype": "MPEG_LAYER_III"}, "ogg": {}, "opus": {"format": "OGG", "subtype": "OPUS"},
    }.items():  # fmt: skip
        soundfile.write(folder / f"a.{ending}", sound, RATE, **options)
    for ending, container in {"m4a": "mp4", "aac": "adts"}.items():
        encode_aac(folder / f"a.{ending}", container, sound)
    return folder


def encode_aac(path, container, sound):
    with av.open(str(path), "w", format=container) as file:
        stream = file.add_stream("aac", rate=RATE)
        stream.codec_context.layout, stream.codec_context.format = "mono", "fltp"
        for at in range(0, len(sound), 1024):
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(sound[at : at + 1024].T), format="fltp", layout="mono"
            )
            frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))


def hurt(path, to, how):
    data = bytearray(path.read_bytes())
    at = len(data) // 2
    if how == "three bytes":
        data[at : at + FLIPPED] = bytes(byte ^ 0xFF for byte in data[at : at + FLIPPED])
    else:
        data[at : at + HOLE] = bytes(HOLE)
    to.write_bytes(data)
    return to


def lag_at(sound, heard, place, reach=4000):
    """By how many frames `heard` is late at a place, where it is most like the sound."""
    wanted = sound[place : place + 8192, 0]
    field = heard[place - reach : place + reach + 8192, 0]
    likeness = np.correlate(field, wanted, "valid")
    return int(np.argmax(np.abs(likeness))) - reach


@pytest.mark.parametrize("how", ["three bytes", "a hole"])
@pytest.mark.parametrize("ending", ["flac", "mp3", "ogg", "opus", "m4a", "aac"])
def test_what_lies_behind_damage_is_there_and_in_step(whole_files, sound, tmp_path, ending, how):
    """A call of 5 s and more used to be lost for three bad bytes."""
    whole = conform(whole_files / f"a.{ending}", tmp_path / "whole")
    facts = conform(hurt(whole_files / f"a.{ending}", tmp_path / f"b.{ending}", how), tmp_path / "hurt")
    heard = conformed_source(tmp_path / "hurt").read(0, facts.conformed_frames)
    before = conformed_source(tmp_path / "whole").read(0, whole.conformed_frames)
    assert abs(facts.conformed_frames - whole.conformed_frames) <= 1
    for place in (RATE, 7 * RATE):
        assert lag_at(before, heard, place) == 0
    lost = sum(length for _, length in facts.gaps)
    assert lost < 2.1
    if how == "a hole":
        assert lost > 0
        assert any("could not be read" in note for note in facts.notes)
        [(start_s, length_s)] = facts.gaps
        assert not heard[round(start_s * RATE) + 100 : round((start_s + length_s) * RATE) - 100].any()


def test_even_a_loss_of_a_fiftieth_of_a_second_keeps_the_rest_in_step(whole_files, tmp_path):
    """One packet of AAC: 21 ms."""
    path = hurt(whole_files / "a.m4a", tmp_path / "b.m4a", "three bytes")
    facts = conform(path, tmp_path / "out")
    assert [round(length, 3) for _, length in facts.gaps] == [0.021]


def with_header(path, data_bytes):
    content = bytearray(path.read_bytes())
    at = content.index(b"data")
    content[at + 4 : at + 8] = struct.pack("<I", data_bytes)
    path.write_bytes(content)
    return path


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "FLOAT"])
@pytest.mark.parametrize("told", [0, 96_000, 0xFFFF_FFFF, 50_000_000])
def test_a_wav_whose_header_is_off_is_read_to_its_real_end(sound, tmp_path, told, subtype):
    """A recorder that lost power leaves 0, an earlier length, or a place-holder; a copy that broke off, more."""
    soundfile.write(tmp_path / "a.wav", sound, RATE, subtype=subtype)
    facts = conform(with_header(tmp_path / "a.wav", told), tmp_path / "out")
    heard = conformed_source(tmp_path / "out").read(0, SECONDS * RATE)
    assert facts.conformed_frames == SECONDS * RATE
    assert np.abs(heard - sound).max() < 1e-4
    said = "breaks off" if told == 50_000_000 else "real end"
    assert any(said in note for note in facts.notes)


@pytest.mark.parametrize("form", ["AIFF", "AU", "CAF", "W64"])
def test_a_file_of_plain_frames_that_breaks_off_is_read_as_far_as_it_goes(sound, tmp_path, form):
    soundfile.write(tmp_path / "a", sound, RATE, format=form, subtype="PCM_16")
    content = (tmp_path / "a").read_bytes()
    (tmp_path / "b").write_bytes(content[: len(content) // 2])
    facts = conform(tmp_path / "b", tmp_path / "out")
    assert SECONDS * RATE // 2 - 4096 < facts.conformed_frames <= SECONDS * RATE // 2


def test_chunks_behind_the_sound_are_not_taken_for_sound(sound, tmp_path):
    soundfile.write(tmp_path / "a.wav", sound, RATE, subtype="PCM_16")
    with (tmp_path / "a.wav").open("ab") as file:
        file.write(b"LIST" + struct.pack("<I", 20_000) + bytes(20_000))
    facts = conform(tmp_path / "a.wav", tmp_path / "out")
    assert (facts.conformed_frames, facts.notes) == (SECONDS * RATE, [])


@pytest.mark.parametrize("name", ["list.m3u8", "list.mp3", "list.ffconcat", "list.wav"])
def test_a_playlist_cannot_have_other_files_of_the_machine_read(tmp_path, name):
    soundfile.write(tmp_path / "secret.wav", talk(2), RATE)
    secret = tmp_path / "secret.wav"
    lists = {
        "list.ffconcat": f"ffconcat version 1.0\nfile '{secret}'\n",
        "list.m3u8": f"#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:2,\n{secret}\n#EXT-X-ENDLIST\n",
    }
    (tmp_path / name).write_text(lists.get(name, lists["list.m3u8"]))
    for read in (conform, conform_in_child):
        with pytest.raises(UnreadableSound, match="could not be read as sound"):
            read(tmp_path / name, tmp_path / "out")
    assert not (tmp_path / "out").exists()


def _reach(secret, folder):
    """In a child: whether anything but the one folder can still be opened."""
    held = confine(reads=[], writes=[folder], memory=4 << 30, cpu_s=60, file_bytes=1 << 20)
    (folder / "own").write_text("may be written")
    reached = []
    for attempt in (secret.read_text, lambda: secret.write_text("x"), lambda: list(secret.parent.iterdir())):
        try:
            attempt()
            reached.append(True)
        except OSError:
            reached.append(False)
    (folder / "told").write_text(json.dumps([held, reached]))


def test_a_child_reaches_nothing_but_its_file_and_folder(tmp_path):
    """Where the kernel has Landlock; elsewhere the limits hold, and this says that there is none."""
    secret = tmp_path / "elsewhere" / "secret"
    secret.parent.mkdir()
    secret.write_text("secret")
    (tmp_path / "own").mkdir()
    assert start(_reach, secret, tmp_path / "own") == 0
    held, reached = json.loads((tmp_path / "own" / "told").read_text())
    assert reached == [False] * 3 or not held


@pytest.mark.parametrize("content", [b"", b"RIFF", b"RIFF\xff\xff\xff\xffWAVEfmt ", bytes(5000), b"fLaC" + bytes(200),
                                     b"OggS" + bytes(100), b"ID3" + bytes(300), b"\xff\xfb" * 900])  # fmt: skip
def test_what_is_no_sound_is_a_sentence(tmp_path, content):
    (tmp_path / "a.wav").write_bytes(content)
    with pytest.raises(UnreadableSound):
        conform_in_child(tmp_path / "a.wav", tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_samples_beyond_all_reason_are_silent_and_told(tmp_path):
    sound = noise(2, dbfs=-20)
    sound[1000] = 3e38
    sound[2000] = np.nan
    soundfile.write(tmp_path / "a.wav", sound, RATE, subtype="FLOAT")
    facts = conform(tmp_path / "a.wav", tmp_path / "out")
    heard = conformed_source(tmp_path / "out").read(0, 2 * RATE)
    assert facts.bad_samples == 2
    assert np.abs(heard).max() < 1
    assert "far beyond full scale" in facts.notes[0]


def test_a_file_of_nothing_but_such_samples_is_refused_by_its_name(tmp_path):
    soundfile.write(tmp_path / "a.wav", noise(1) * np.float32(1e7), RATE, subtype="FLOAT")
    with pytest.raises(UnreadableSound, match=r"a\.wav holds samples .* full scale at 1\.0"):
        conform(tmp_path / "a.wav", tmp_path / "out")


def cut(change):
    """The cut of an episode as OpenTimelineIO, changed somewhere."""
    from pampa.core.timeline.interchange import to_otio

    told = json.loads(to_otio(marked(), MEDIA, "The Pilot Ladder"))
    change(told)
    return json.dumps(told)


def nested(depth):
    inner = {"OTIO_SCHEMA": "Stack.1", "children": []}
    for _ in range(depth):
        inner = {"OTIO_SCHEMA": "Stack.1", "children": [inner]}
    return json.dumps({"OTIO_SCHEMA": "Timeline.1", "name": "x", "tracks": inner})


def set_time(told, value):
    told["tracks"]["children"][0]["children"][0]["source_range"]["start_time"]["value"] = value


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("[" * 32_000, "nested deeper"),
        ('{"a":' * 40_000, "nested deeper"),
        ("\\\"" * 200_000, "no OpenTimelineIO"),
        (" " * ((16 << 20) + 1), "larger than"),
        ("", "no OpenTimelineIO"),
        (cut(lambda told: set_time(told, float("nan"))), "times that are no numbers"),
        (cut(lambda told: set_time(told, float("inf"))), "times that are no numbers"),
        (cut(lambda told: set_time(told, 1e300)), "times that are no numbers"),
        (cut(lambda told: set_time(told, -5)), "times that are no numbers"),
    ],
)  # fmt: skip
def test_a_cut_that_would_crash_or_hang_a_parser_is_refused(text, message):
    with pytest.raises(EditRefused, match=message):
        read_cut_in_child(text)


def test_deep_stacks_are_refused_before_anything_follows_them():
    """30,000 of them used to take the server down; JSON in Python cannot even write so many."""
    deep = nested(100)
    with pytest.raises(EditRefused, match="nested deeper"):
        read_cut_in_child(deep)


def test_brackets_inside_names_are_no_nesting():
    told = read_cut_in_child(cut(lambda told: told["tracks"]["children"][0].update(name="[" * 300)))
    assert told["tracks"][0]["name"] == "[" * 300


def test_what_could_not_be_read_is_a_drop_out_that_mend_fills_with_the_room(tmp_path):
    """Also where nobody talks just then, and digital silence would not be told from a gate."""
    sound = noise(SECONDS, dbfs=-70)
    sound[: 2 * RATE] += talk(2, dbfs=-20)
    soundfile.write(tmp_path / "a.flac", sound, RATE)
    path = hurt(tmp_path / "a.flac", tmp_path / "b.flac", "a hole")
    facts = conform(path, tmp_path / "out")
    source = conformed_source(tmp_path / "out")
    [(start_s, stop_s)] = facts.missing
    assert (start_s, stop_s) in examine(source, clipped=np.zeros((0, 2)), missing=facts.missing).drop_outs
    known = measure(source, Amounts(drop_outs=100), MendFacts(np.zeros((0, 2)), missing=facts.missing))
    filled = chain(source, Amounts(drop_outs=100), known).read(round(start_s * RATE), round(stop_s * RATE))
    assert 20 * np.log10(np.sqrt(np.mean(filled**2))) == pytest.approx(-70, abs=1.5)
