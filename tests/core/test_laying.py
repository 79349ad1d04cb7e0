"""Pieces at places, parts in sequence, waiting tracks, and beginnings from a pattern."""

from dataclasses import asdict, replace

import pytest

from pampa.core.errors import EditRefused
from pampa.core.timeline.arranging import add_clip, add_track, bring_in
from pampa.core.timeline.codec import decode, encode
from pampa.core.timeline.cutting import take_out
from pampa.core.timeline.document import Document
from pampa.core.timeline.edits import apply, describe
from pampa.core.timeline.laying import begin, in_sequence, lay, take_seat
from pampa.core.voice.recipe import Recipe


def piece(recording, start, length=100, **rest):
    return {"recording": recording, "source": 0, "start": start, "length": length, **rest}


def where(document):
    return [(t.name, [(c.recording, c.start, c.end) for c in t.clips]) for t in document.tracks]


def test_pieces_go_to_the_first_track_of_their_kind_with_room_there():
    document = lay(Document(), name="Theme", kind="music", pieces=[piece(1, 0), piece(1, 500)])
    document = lay(document, name="Bed", kind="music", pieces=[piece(2, 100)])
    document = lay(document, name="Sting", kind="music", pieces=[piece(3, 50)])
    document = lay(document, name="Gulls", kind="effects", pieces=[piece(4, 0)])
    assert where(document) == [
        ("Theme", [(1, 0, 100), (2, 100, 200), (1, 500, 600)]), ("Sting", [(3, 50, 150)]), ("Gulls", [(4, 0, 100)]),
    ]  # fmt: skip


def test_nothing_is_laid_onto_a_persons_track_unasked():
    document = add_track(Document(), name="Anders", kind="person")
    beside = lay(document, name="Pick-ups", kind="person", pieces=[piece(1, 0)])
    assert [track.name for track in beside.tracks] == ["Anders", "Pick-ups"]
    onto = lay(document, name="Pick-ups", kind="person", pieces=[piece(1, 0)], track=document.tracks[0].id)
    assert where(onto) == [("Anders", [(1, 0, 100)])]


def test_a_take_goes_in_the_place_of_an_earlier_one_in_one_edit():
    document = lay(Document(), name="Pick-ups", kind="person", pieces=[piece(1, 700)])
    track, clip = document.tracks[0].id, document.tracks[0].clips[0].id
    document = lay(document, name="x", kind="person", pieces=[piece(2, 720, 90)], track=track, instead_of=clip)
    assert where(document) == [("Pick-ups", [(2, 720, 810)])]


def test_each_piece_may_have_a_name_and_kind_of_its_own():
    laid = lay(Document(), name="the ending", kind="music", pieces=[piece(1, 0, name="Port", kind="effects")])
    assert [(t.name, t.kind, t.treated) for t in laid.tracks] == [("Port", "effects", False)]
    assert describe("lay", {"name": "the ending", "pieces": []}) == "Laid the ending"


def three_parts():
    document = Document()
    for number, length in ((1, 300), (2, 200), (3, 50)):
        document = bring_in(document, name=f"part {number}", kind="person", recording=number, length=length, start=20)
    return document


def test_parts_follow_one_another_on_the_track_of_the_first():
    joined = in_sequence(three_parts(), recordings=[[1, 300], [2, 200], [3, 50]])
    assert where(joined) == [("part 1", [(1, 20, 320), (2, 320, 520), (3, 520, 570)])]
    assert decode(encode(joined)) == joined


def test_joining_leaves_tracks_alone_that_hold_something_else():
    document = three_parts()
    document = add_clip(document, track=document.tracks[2].id, recording=9, start=1000, length=10)
    assert where(in_sequence(document, recordings=[[2, 200], [3, 50]])) == [
        ("part 1", [(1, 20, 320)]), ("part 2", [(2, 20, 220), (3, 220, 270)]), ("part 3", [(9, 1000, 1010)]),
    ]  # fmt: skip


def test_what_has_been_cut_is_not_joined_and_one_part_is_not_enough():
    cut = take_out(three_parts(), start=100, stop=150)
    for document, parts in ((cut, [[1, 300], [2, 200]]), (three_parts(), [[1, 300], [1, 300]]),
                            (Document(), [[1, 300], [2, 200]])):  # fmt: skip
        with pytest.raises(EditRefused, match="Nothing was changed"):
            in_sequence(document, recordings=parts)


def test_a_recording_takes_the_seat_that_waits_for_it():
    waiting = add_track(Document(), name="Anders Quill", kind="person")
    warm = replace(waiting.tracks[0], recipe=Recipe(body_db=-4.0), gain_db=2.0)
    document = bring_in(waiting.with_track(warm), name="anders local", kind="person", recording=1, length=100)
    seated = take_seat(document, track=document.tracks[1].id, onto=warm.id)
    [track] = seated.tracks
    assert (track.name, track.recipe.body_db, track.gain_db, track.clips[0].recording) == ("Anders Quill", -4.0, 2.0, 1)
    with pytest.raises(EditRefused):
        take_seat(document, track=warm.id, onto=document.tracks[1].id)


def test_an_episode_begins_once():
    told = {
        "name": "Anders", "kind": "person", "gain_db": 1.0, "treated": True, "pinned": False,
        "recipe": asdict(Recipe(ratio=3.0)), "clips": [],
    }  # fmt: skip
    music = {**told, "name": "Music", "kind": "music", "treated": False, "clips": [piece(1, 0, fade_out=20)]}
    begun = apply(Document(), "begin", {"name": "Usual", "tracks": [told, music], "ducking_db": 9.0})
    assert [t.name for t in begun.tracks] == ["Anders", "Music"]
    assert (begun.ducking.depth_db, begun.tracks[0].recipe.ratio, begun.tracks[1].clips[0].fade_out) == (9.0, 3.0, 20)
    with pytest.raises(EditRefused, match="begun already"):
        begin(begun, name="Usual", tracks=[told], ducking_db=9.0)
