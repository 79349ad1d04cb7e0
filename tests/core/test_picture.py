"""Pictures: what they are, their small stand-ins, what is seen when, and the picture cut as the talk was cut."""

import io
import struct
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from PIL import Image

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, UnreadableSound
from pampa.core.files.conform import conform, conformed_source
from pampa.core.files.decode import read_sound
from pampa.core.files.deliver import deliver
from pampa.core.files.picture import FrameReader, PictureFile, picture_facts, pixels_of
from pampa.core.files.picture_proxy import make_proxy, proxy_in
from pampa.core.files.picture_writing import write_picture
from pampa.core.picture.seen import Stretch, size_for, stretches_of, usual_rate
from pampa.core.picture.uncut import uncut
from pampa.core.sound import RATE
from pampa.core.timeline.document import Clip, Document, RunningClock, Track
from tests.conftest import write_talk
from tests.moving import number_in, turned, write_moving


def shown(jpeg):
    return number_in(np.array(Image.open(io.BytesIO(jpeg))))


def unpacked(packed):
    (count,) = struct.unpack_from("<I", packed)
    heads = [struct.unpack_from("<dI", packed, 4 + 12 * n) for n in range(count)]
    at, frames = 4 + 12 * count, []
    for time, size in heads:
        frames.append((time, packed[at : at + size]))
        at += size
    assert at == len(packed)
    return frames


def small(path, tmp_path):
    make_proxy(path, tmp_path / "small", picture_facts(path), lambda share: None)
    return proxy_in(tmp_path / "small")


@pytest.mark.parametrize(
    ("name", "fps", "codec"), [("a.mp4", 25, "h264"), ("a.mov", 24000 / 1001, "h264"), ("a.webm", 30, "vp8"),
                               ("b.mp4", 60000 / 1001, "h264")],
)  # fmt: skip
def test_facts_and_every_frame_at_its_time(tmp_path, name, fps, codec):
    path = write_moving(tmp_path / name, 3, fps=fps)
    facts = picture_facts(path)
    assert (facts.width, facts.height, facts.rotation, facts.codec) == (128, 48, 0, codec)
    assert not facts.variable
    assert facts.fps == pytest.approx(fps, abs=0.01)
    with PictureFile(path) as picture:
        reader = FrameReader(picture)
        for at in (0.01, 0.5, 0.51, 2.7, 1.2, 2.95):
            assert number_in(pixels_of(reader.at(at), 128, 48)) == int(at * fps + 1e-6)
        assert reader.at(-1.0) is None


def test_small_frames_come_by_the_second_with_the_one_before(tmp_path):
    proxy = small(write_moving(tmp_path / "a.mp4", 3, fps=25), tmp_path)
    frames = unpacked(proxy.second(1))
    assert [shown(jpeg) for _, jpeg in frames] == [24, *range(25, 50)]
    assert frames[1][0] == pytest.approx(1.0)
    assert shown(proxy.still(2.1)) == 52
    assert [time for time, _ in unpacked(proxy.stills(0.5, 0.25, 4))] == [0.5, 0.75, 1.0, 1.25]
    assert [shown(jpeg) for _, jpeg in unpacked(proxy.second(99))] == [74]


def test_sixty_frames_a_second_are_thinned_and_an_uneven_rate_is_told(tmp_path):
    assert len(small(write_moving(tmp_path / "a.mp4", 2, fps=60), tmp_path).times) == 60
    uneven = write_moving(tmp_path / "v.mp4", 4, times=[n / 25 + (0.013 if n % 3 else 0) for n in range(100)])
    assert picture_facts(uneven).variable
    with PictureFile(uneven) as picture:
        assert number_in(pixels_of(FrameReader(picture).at(2.005), 128, 48)) == 49


@pytest.mark.parametrize("degrees", [90, 180, 270])
def test_a_picture_that_is_held_upright_is_seen_so(tmp_path, degrees):
    path = turned(write_moving(tmp_path / "r.mp4", 1), degrees)
    facts = picture_facts(path)
    assert (facts.width, facts.height) == ((128, 48) if degrees == 180 else (48, 128))
    with PictureFile(path) as picture:
        seen = pixels_of(FrameReader(picture).at(0.9), facts.width, facts.height)
    back = np.rot90(seen, degrees // 90)
    assert number_in(back) == 22


def test_sound_alone_has_no_picture_and_a_picture_alone_is_told(tmp_path):
    assert picture_facts(write_talk(tmp_path / "talk.wav", 2, seed=1)) is None
    silent = write_moving(tmp_path / "silent.mp4", 1, sound=False)
    with pytest.raises(UnreadableSound, match="no sound"):
        conform(silent, tmp_path / "conformed")


def test_a_broken_frame_in_the_middle_leaves_the_others_in_their_places(tmp_path):
    path = write_moving(tmp_path / "a.mp4", 8, fps=25, size=(128, 48))
    data = bytearray(path.read_bytes())
    middle = data.index(b"mdat") + (len(data) - data.index(b"mdat")) // 3
    data[middle : middle + 60] = bytes(60)
    path.write_bytes(data)
    proxy = small(path, tmp_path)
    assert shown(proxy.still(0.4)) == 10
    assert shown(proxy.still(7.5)) == 187


def document(*clips, drift=0.0, muted=False):
    camera = Track(1, "Camera", "person", tuple(clips), muted=muted)
    return Document(tracks=(camera,), clocks=(RunningClock(7, drift),) if drift else ())


def test_what_is_seen_follows_the_cuts_and_the_clock():
    cut = document(Clip(1, 7, 0, 0, RATE), Clip(2, 7, 3 * RATE, RATE, RATE), drift=100.0, muted=True)
    first, second = stretches_of(cut, {7})
    assert (first.stop, second.start) == (RATE, RATE)
    assert second.source_at(1.5) == pytest.approx(3.5 / 1.0001)
    assert stretches_of(cut, {8}) == []


def test_of_two_pictures_the_upper_one_is_seen():
    two = document(Clip(1, 7, 0, RATE, RATE))
    two = replace(two, tracks=(*two.tracks, Track(2, "Other", "person", (Clip(2, 8, 0, 0, 3 * RATE),))))
    seen = stretches_of(two, {7, 8})
    assert [(each.recording, each.start // RATE, each.stop // RATE) for each in seen] == [
        (8, 0, 1),
        (7, 1, 2),
        (8, 2, 3),
    ]


@pytest.mark.parametrize(("fps", "rate"), [(23.976, "24000/1001"), (24.93, "25"), (29.97, "30000/1001"), (61, "60")])
def test_an_uneven_rate_becomes_the_nearest_in_use(fps, rate):
    assert usual_rate(fps) == Fraction(rate)


def test_uncut_puts_back_what_was_taken_out_and_keeps_people_beside_the_picture():
    voice = Track(2, "Anders Quill", "person", (Clip(3, 8, 500, 0, RATE - 500), Clip(4, 8, RATE + 2500, RATE, RATE)))
    cut = document(Clip(1, 7, 0, 0, RATE), Clip(2, 7, RATE + 2000, RATE, RATE))
    music = Track(3, "Music", "music", (Clip(5, 9, 0, RATE + 100, 1000),))
    back = uncut(replace(cut, tracks=(*cut.tracks, voice, music)), 7, {7: 4 * RATE, 8: 4 * RATE, 9: 1000})
    camera, anders, theme = back.tracks
    assert [(clip.source, clip.start, clip.length) for clip in camera.clips] == [(0, 0, 4 * RATE)]
    assert [(clip.source, clip.start, clip.length) for clip in anders.clips] == [(500, 0, 4 * RATE - 500)]
    assert [clip.start for clip in theme.clips] == [RATE + 2100]
    with pytest.raises(EditRefused, match="lies on no track"):
        uncut(cut, 99, {})


@pytest.mark.parametrize(("fps", "half"), [(24000 / 1001, 30), (25, 15), (60, 15)])
def test_the_cut_picture_stays_with_its_sound_to_the_end(tmp_path, fps, half):
    """With ten seconds taken out of the middle: every frame, and clicks at both ends. A rate that is not whole is off
    by a thousandth where it is taken for one: a minute of it."""
    last = 2 * half + 5.0
    path = write_moving(tmp_path / "a.mp4", 2 * half + 10, fps=fps, clicks=(5.0, last))
    conform(path, tmp_path / "conformed")
    source = conformed_source(tmp_path / "conformed")
    whole_s = source.frames / RATE - 10
    stretches = [Stretch(0, half * RATE, 1, 0.0, 1.0), Stretch(half * RATE, round(whole_s * RATE), 1, half + 10.0, 1.0)]

    class Cut:
        rate, channels, frames = RATE, 1, source.frames - 10 * RATE

        def read(self, start, stop):
            parts = [source.read(min(start, half * RATE), min(stop, half * RATE)),
                     source.read(max(start, half * RATE) + 10 * RATE, max(stop, half * RATE) + 10 * RATE)]  # fmt: skip
            return np.concatenate(parts)

    deliver(Cut(), tmp_path / "s.m4a", Format("m4a"), Aim(-30.0, -1.0))
    write_picture(
        tmp_path / "out.mp4", stretches, {1: path}, tmp_path / "s.m4a", frames=Cut.frames, size=(128, 48),
        fps=usual_rate(fps),
    )  # fmt: skip
    with PictureFile(tmp_path / "out.mp4") as picture:
        wrong = 0
        for at, frame in picture.frames():
            middle = at + 0.5 / fps  # what is seen in the middle of a frame counts
            wanted = (at if middle < half else at + 10) * fps
            wrong += at < whole_s - 0.1 and abs(number_in(pixels_of(frame, 128, 48)) - wanted) > 1.001
    assert wrong == 0
    sound = np.abs(read_sound(tmp_path / "out.mp4", lambda opened: np.concatenate(list(opened.blocks)))[:, 0])
    loud = np.flatnonzero(sound > 0.3 * sound.max()) / RATE
    assert abs(loud[0] - 5) < 0.01
    assert abs(loud[loud > half][0] - (last - 10)) < 0.01


def test_where_nothing_is_seen_it_is_black_and_sizes_stay_even(tmp_path):
    path = write_moving(tmp_path / "a.mp4", 2)
    conform(path, tmp_path / "conformed")
    deliver(conformed_source(tmp_path / "conformed"), tmp_path / "s.m4a", Format("m4a"), Aim(-30.0, -1.0))
    write_picture(
        tmp_path / "out.mp4", [Stretch(RATE, 2 * RATE, 1, 1.0, 1.0)], {1: path}, tmp_path / "s.m4a",
        frames=2 * RATE, size=(64, 64), fps=Fraction(25),
    )  # fmt: skip
    with PictureFile(tmp_path / "out.mp4") as picture:
        reader = FrameReader(picture)
        assert pixels_of(reader.at(0.5), 64, 64).max() < 30
        later = pixels_of(reader.at(1.5), 64, 64)
    assert later[30:34].mean() > 40
    assert later[:16].max() < 30
    assert size_for(3840, 2160, 1080) == (1920, 1080)
    assert size_for(405, 719, 2160) == (404, 720)
