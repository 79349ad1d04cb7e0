"""The cut and markers as open files: what goes out comes in again, and what cannot be read is told."""

import json
from dataclasses import replace

import opentimelineio as otio
import pytest

from pampa.core.errors import EditRefused
from pampa.core.timeline import arranging, cutting, mixing
from pampa.core.timeline.document import Document
from pampa.core.timeline.interchange import Media, from_cut, read_otio, to_otio
from pampa.core.timeline.marker_files import read_markers, to_csv, to_vtt
from tests.core.documents import sound_of
from tests.core.test_timeline import talk_document

MEDIA = {
    1: Media("marisol_local.wav", 20_000, "a" * 64),
    2: Media("anders_local.wav", 20_000, "b" * 64),
    3: Media("theme.flac", 9000, "c" * 64),
}


def from_otio(text, document, media):
    return from_cut(read_otio(text), document, media)


def marked() -> Document:
    document = cutting.take_out(talk_document(), start=2000, stop=3000)
    document = arranging.add_marker(document, at=4800, name="Ladder, rigged < badly")
    return arranging.add_marker(document, at=7200, name="")


def test_a_cut_that_went_out_comes_in_as_it_was():
    document = marked()
    back = from_otio(to_otio(document, MEDIA, "The Pilot Ladder"), document, MEDIA)
    assert sound_of(back) == sound_of(document)
    assert [(m.at, m.name) for m in back.markers] == [(m.at, m.name) for m in document.markers]
    assert [track.recipe for track in back.tracks] == [track.recipe for track in document.tracks]


def test_envelopes_sends_and_special_voices_come_along_and_nonsense_is_refused():
    document = talk_document()
    clip = document.tracks[0].clips[0].id
    document = mixing.set_envelope(document, clip=clip, points=[[100, -6.0], [900, 0.0]])
    document = mixing.send_clip(document, clip=clip, bus="room", level_db=-9.0)
    document = mixing.special_stretch(document, track=1, start=0, stop=9000, kind="phone", amount=80.0)
    text = to_otio(document, MEDIA, "The Pilot Ladder")
    back = from_otio(text, document, MEDIA).tracks[0].clips[0]
    assert replace(back, id=clip) == document.tracks[0].clips[0]
    for good, bad in (('"phone"', '"trumpet"'), ('"room"', '"attic"'), ("-6.0", '"soft"')):
        with pytest.raises(EditRefused):
            from_otio(text.replace(good, bad), document, MEDIA)


def test_other_programs_can_read_it():
    """By the library alone: tracks with gaps, joins as dissolves, ranges within the media."""
    timeline = otio.adapters.read_from_string(to_otio(marked(), MEDIA, "The Pilot Ladder"), "otio_json")
    talk = timeline.audio_tracks()[0]
    assert [type(item).__name__ for item in talk] == ["Clip", "Transition", "Clip"]
    assert talk.duration().value == 9000
    music = timeline.audio_tracks()[2]
    assert [type(item).__name__ for item in music] == ["Gap", "Clip"]
    assert all(
        clip.source_range.end_time_exclusive() <= clip.available_range().end_time_exclusive()
        for clip in timeline.find_clips()
    )


def test_a_track_that_is_new_is_added_and_one_that_is_missing_is_empty():
    timeline = otio.adapters.read_from_string(to_otio(talk_document(), MEDIA, ""), "otio_json")
    timeline.tracks[0].name = "Second microphone"
    back = from_otio(timeline.to_json_string(), talk_document(), MEDIA)
    assert [(track.name, len(track.clips)) for track in back.tracks] == [
        ("Marisol Vey", 0),
        ("Anders Quill", 1),
        ("Theme", 1),
        ("Second microphone", 1),
    ]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "no OpenTimelineIO"),
        ("{]", "no OpenTimelineIO"),
        (json.dumps({"OTIO_SCHEMA": "Gap.1"}), "no timeline"),
        (otio.schema.Timeline().to_json_string(), "no track of sound"),
    ],
)
def test_what_is_no_cut_is_refused(text, message):
    with pytest.raises(EditRefused, match=message):
        from_otio(text, talk_document(), MEDIA)


@pytest.mark.parametrize("gain", ["loud", float("nan"), 900, None])
def test_gains_that_are_none_are_refused(gain):
    timeline = otio.adapters.read_from_string(to_otio(talk_document(), MEDIA, ""), "otio_json")
    next(iter(timeline.find_clips())).metadata["pampa"]["gain_db"] = gain
    with pytest.raises(EditRefused):
        from_otio(timeline.to_json_string(), talk_document(), MEDIA)


def test_a_cut_of_recordings_that_are_not_here_or_too_short_is_refused():
    text = to_otio(talk_document(), MEDIA, "")
    with pytest.raises(EditRefused, match=r"theme.flac, which is not in the episode"):
        from_otio(text, talk_document(), {1: MEDIA[1], 2: MEDIA[2]})
    with pytest.raises(EditRefused, match="more of anders_local"):
        from_otio(text, talk_document(), {**MEDIA, 2: Media("anders_local.wav", 400, "b" * 64)})


@pytest.mark.parametrize("write", [to_csv, to_vtt])
def test_markers_that_went_out_come_in(write):
    document = marked()
    names = {to_csv: "", to_vtt: "marker"}[write]
    assert read_markers(write(document)) == [(4800, "Ladder, rigged < badly"), (7200, names)]


def test_markers_of_other_programs_are_read():
    assert read_markers("Start;Name\n1:02,5;x\n0:01:03.500;Tide turns\n") == [(63 * 48_000 + 24_000, "Tide turns")]
    assert read_markers("12.5\n3\n") == [(144_000, ""), (600_000, "")]
    vtt = "WEBVTT\n\nNOTE by hand\n\n1\n00:10.000 --> 00:20.000 line:0\nSlack water\n"
    assert read_markers(vtt) == [(480_000, "Slack water")]


@pytest.mark.parametrize("text", ["", "no,markers\n", "WEBVTT\n", "\x00\x01"])
def test_a_file_without_markers_is_refused(text):
    with pytest.raises(EditRefused, match="No markers"):
        read_markers(text)
