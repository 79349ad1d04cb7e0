"""Every kind of file: on target, exactly as long as what went in, tagged, with its chapters, for others to read."""

import base64
import io
import struct
from dataclasses import replace

import av
import mutagen
import pytest
import soundfile
from mutagen.flac import Picture
from PIL import Image

from pampa.core.deliver.chapters import Chapter, timed, to_json, to_lines, to_vtt
from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import Cancelled, DiskFull, SignalError
from pampa.core.executor import Threads
from pampa.core.files import deliver_set
from pampa.core.files.deliver import deliver
from pampa.core.files.deliver_set import WantedFile, deliver_all
from pampa.core.files.tags import Tags
from pampa.core.loudness import measure
from pampa.core.resampled import Resampled
from pampa.core.sound import RATE, ArraySource
from tests.core.test_deliver import programme


def jpeg(width=300, height=300):
    out = io.BytesIO()
    Image.new("RGB", (width, height), "teal").save(out, "JPEG")
    return out.getvalue()


CHAPTERS = (
    Chapter(0.0, "Über die Leiter"),
    Chapter(3.25, "Tide 🎣 שלום", "https://slackwater.example/tide", jpeg(60, 60)),
)
TAGS = Tags("The Pilot Ladder", "Slack Water", "Marisol Vey", 12, "2026-11-23", 2, "With Anders Quill.",
            "https://slackwater.example/12", jpeg(), CHAPTERS)  # fmt: skip
# Some readers take the size of a picture inside of a chapter wrongly, and then leave the chapter out.
PLAIN = replace(TAGS, chapters=tuple(replace(chapter, picture=b"") for chapter in CHAPTERS))
ALL = [
    Format("wav", 16), Format("wav", 24, broadcast=True), Format("wav", 32), Format("flac", 24), Format("mp3"),
    Format("mp3", quality=3), Format("m4a"), Format("opus"), Format("ogg"),
]  # fmt: skip


@pytest.mark.parametrize("fmt", ALL, ids=lambda fmt: f"{fmt.kind}-{fmt.bits}-{fmt.quality}")
def test_each_kind_is_on_target_exactly_as_long_and_keeps_its_chapters(tmp_path, fmt):
    rate = 44_100 if fmt.kind in ("mp3", "m4a", "ogg") and fmt.quality is None else RATE
    path = tmp_path / f"a.{fmt.kind}"
    source = programme(7, rate=rate)
    sheet = deliver(source, path, fmt, Aim(-16.0), tags=PLAIN, executor=Threads(2))
    assert sheet.met
    assert sheet.duration_s == source.frames / rate
    with av.open(str(path)) as container:
        stream = container.streams.audio[0]
        told = {chapter["metadata"]["title"] for chapter in container.chapters()}
        assert told == {chapter.title for chapter in CHAPTERS}
        frames = sum(frame.samples for frame in container.decode(stream))
        assert frames - source.frames in (range(1024) if fmt.kind == "m4a" else range(1))
        if fmt.kind != "opus":  # its container counts the pre-skip too
            assert float(stream.duration * stream.time_base) == pytest.approx(7.0, abs=1e-4)
        container.seek(round(5 * av.time_base))
        assert abs(next(container.decode(stream)).time - 5) < 0.3
    if fmt.kind not in ("m4a", "mp3"):
        assert soundfile.info(path).frames == source.frames


@pytest.mark.parametrize("kind", ["mp3", "m4a", "opus", "ogg", "flac"])
def test_what_a_player_shows_is_read_by_others(tmp_path, kind):
    path = tmp_path / f"a.{kind}"
    deliver(programme(5), path, Format(kind), Aim(-16.0), tags=TAGS)
    with av.open(str(path)) as container:
        of_stream = container.streams.audio[0].metadata
        told = {name.lower(): text for name, text in {**of_stream, **container.metadata}.items()}
        assert (told["title"], told["album"], told["artist"]) == ("The Pilot Ladder", "Slack Water", "Marisol Vey")
        [picture] = container.streams.video
        [packet, *_] = [packet for packet in container.demux(picture) if packet.size]
        assert bytes(packet) == TAGS.artwork
    easy = mutagen.File(path, easy=True)
    assert (easy["title"], easy["album"], easy["artist"], easy["date"]) == (
        ["The Pilot Ladder"], ["Slack Water"], ["Marisol Vey"], ["2026-11-23"])  # fmt: skip
    full = mutagen.File(path)
    if kind == "mp3":
        assert full.tags.getall("APIC")[0].data == TAGS.artwork
        chap = full.tags.getall("CHAP")[1]
        assert (chap.start_time, chap.end_time) == (3250, 5000)
        assert chap.sub_frames.getall("WXXX")[0].url == CHAPTERS[1].link
        assert chap.sub_frames.getall("APIC")[0].data == CHAPTERS[1].picture
        assert full.tags.getall("CTOC")[0].child_element_ids == ["chp0", "chp1"]
    elif kind == "m4a":
        assert bytes(full["covr"][0]) == TAGS.artwork
        assert (full["trkn"], full["ldes"]) == ([(12, 0)], ["With Anders Quill."])
    elif kind == "flac":
        assert full.pictures[0].data == TAGS.artwork
    else:
        assert Picture(base64.b64decode(full["metadata_block_picture"][0])).data == TAGS.artwork
        assert full["CHAPTER001"] == ["00:00:03.250"]
        assert full["CHAPTER001URL"] == [CHAPTERS[1].link]


def chunks_of(data):
    at, found = 12, {}
    while at + 8 <= len(data):
        name, size = data[at : at + 4], struct.unpack("<I", data[at + 4 : at + 8])[0]
        found[name] = data[at + 8 : at + 8 + size]
        at += 8 + size + size % 2
    assert at == len(data) == 8 + struct.unpack("<I", data[4:8])[0]
    return found


def test_a_broadcast_wave_says_its_loudness_and_names_its_cues(tmp_path):
    path = tmp_path / "a.wav"
    sheet = deliver(programme(6), path, Format("wav", 24, broadcast=True), Aim(-23.0), tags=TAGS)
    chunks = chunks_of(path.read_bytes())
    (version,) = struct.unpack_from("<H", chunks[b"bext"], 346)
    integrated, spread, peak = struct.unpack_from("<3h", chunks[b"bext"], 412)
    assert version == 2
    assert integrated == round(sheet.loudness.integrated_lufs * 100) == pytest.approx(-2300, abs=10)
    assert peak == round(sheet.loudness.true_peak_dbtp * 100)
    assert spread == round(sheet.loudness.loudness_range_lu * 100)
    assert chunks[b"bext"].startswith(b"Slack Water: The Pilot Ladder\0")
    count, first_id, first = struct.unpack_from("<III", chunks[b"cue "])
    assert (count, first_id, first) == (2, 1, 0)
    assert struct.unpack_from("<I", chunks[b"cue "], 4 + 24 + 20)[0] == round(3.25 * RATE)
    assert "Tide 🎣".encode() in chunks[b"LIST"]


def test_chapters_are_put_in_order_and_what_cannot_be_chosen_is_left_out():
    told = timed(
        [Chapter(50, "Late"), Chapter(0.4, "Start"), Chapter(20, "A"), Chapter(20.3, " B\n b "), Chapter(90, "After")],
        60,
    )
    assert [(each.start_s, each.title, each.end_s) for each in told] == [
        (0.0, "Start", 20.3),
        (20.3, "B b", 50),
        (50, "Late", 60),
    ]
    assert to_lines(told).splitlines()[1] == "0:20 B b"
    assert "00:00:20.300 --> 00:00:50.000\nB b" in to_vtt(told)
    assert '"startTime": 20.3' in to_json(told)
    assert timed([], 60) == ()
    many = timed([Chapter(n * 2.0, "x" * 400) for n in range(300)], 600)
    assert len(many) == 300
    assert len(many[7].title) == 200


def test_another_rate_is_the_same_samples_from_any_range():
    source = ArraySource(programme(25).data)
    other = Resampled(source, 44_100)
    whole = other.read(0, other.frames)
    assert other.frames == 25 * 44_100
    assert (other.read(123_456, 654_321) == whole[123_456:654_321]).all()
    assert measure(whole, 44_100).integrated_lufs == pytest.approx(measure(source.data).integrated_lufs, abs=0.05)


def test_a_set_is_made_of_one_source_and_each_file_told(tmp_path):
    reads = []

    class Counted(ArraySource):
        def read(self, start, stop):
            reads.append((start, stop))
            return super().read(start, stop)

    wanted = [
        WantedFile(tmp_path / "a.mp3", Format("mp3"), Aim(-16.0)),
        WantedFile(tmp_path / "b.wav", Format("wav", 16), Aim(-19.0), mono=True),
        WantedFile(tmp_path / "c.flac", Format("flac", rate=44_100), Aim(-23.0)),
    ]
    made, shares = {}, []
    failed = deliver_all(
        Counted(programme(8).data), wanted, executor=Threads(2), made=lambda n, sheet: made.update({n: sheet}),
        progress=lambda doing, share: shares.append(share),
    )  # fmt: skip
    assert not failed
    assert all(sheet.met for sheet in made.values())
    assert [made[n].rate for n in range(3)] == [RATE, RATE, 44_100]
    assert soundfile.info(tmp_path / "b.wav").channels == 1
    assert shares == sorted(shares)
    assert max(shares) <= 1


def test_a_file_that_cannot_be_made_leaves_the_others_whole(tmp_path, monkeypatch):
    real = deliver_set.deliver

    def full_for_one(source, path, *args, **kwargs):
        if path.name == "b.flac":
            raise DiskFull(10_000_000)
        return real(source, path, *args, **kwargs)

    monkeypatch.setattr(deliver_set, "deliver", full_for_one)
    wanted = [WantedFile(tmp_path / name, Format("flac"), Aim(-16.0)) for name in ("a.flac", "b.flac", "c.flac")]
    made = []
    failed = deliver_all(programme(4), wanted, executor=Threads(2), made=lambda n, sheet: made.append(n))
    assert sorted(made) == [0, 2]
    assert "disk is full" in str(failed[1])
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.flac", "c.flac"]


def test_a_set_that_is_stopped_leaves_nothing_half_made(tmp_path):
    def stop(doing, share):
        if doing.startswith("Writing"):
            raise Cancelled

    wanted = [WantedFile(tmp_path / f"{n}.wav", Format("wav"), Aim(-16.0)) for n in range(3)]
    with pytest.raises(Cancelled):
        deliver_all(programme(20), wanted, executor=Threads(2), made=lambda n, sheet: None, progress=stop)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    ("fmt", "rate", "told"),
    [(Format("flac", 32), RATE, "16 or 24"), (Format("ogg", quality=11), RATE, "from 0 to 10"),
     (Format("opus", kbit=900), RATE, "16 to 320"), (Format("mp3", quality=10), RATE, "from 0 to 9")],
)  # fmt: skip
def test_what_a_kind_does_not_have_is_refused(fmt, rate, told):
    with pytest.raises(SignalError, match=told):
        fmt.checked(rate=rate, channels=2)
