"""Time put in, stretches carried, spots, turns that slide, sides of seams: what must hold of each."""

import json
import random

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from pampa.core.errors import EditRefused, PampaError
from pampa.core.timeline import arranging, cutting, inserting, seams, turns
from pampa.core.timeline.codec import decode, encode
from pampa.core.timeline.document import Clip, Document, Marker, check
from pampa.core.timeline.edits import apply
from pampa.core.timeline.versions import gist
from tests.core.documents import FRAMES, documents, documents_with_a_range, ranges, sound_of
from tests.core.test_timeline import in_step, random_edit, talk_document


def talk_of(document):
    return [run for run in sound_of(document) if run[0] != 3]


# -- time put in --------------------------------------------------------------------------------------------


@given(documents_with_a_range(), st.integers(48, 20_000))
@settings(max_examples=80, deadline=None)
def test_time_put_in_keeps_everybody_in_step_and_is_taken_out_again(case, length):
    document, at, _ = case
    longer = inserting.insert(document, at=at, length=length)
    assert in_step(longer)
    back = cutting.take_out(longer, start=at, stop=at + length) if at < document.length else longer
    assert talk_of(back) == talk_of(document) or at >= document.length


def test_music_and_markers_after_the_place_follow_and_pinned_music_does_not():
    document = arranging.add_marker(arranging.add_marker(talk_document(), at=5000), at=7000)
    longer = inserting.insert(document, at=5000, length=1000)
    assert longer.tracks[2].clips[0].start == 7000
    assert [marker.at for marker in longer.markers] == [5000, 8000]
    pinned = arranging.set_track(document, track=3, pinned=True)
    assert inserting.insert(pinned, at=5000, length=1000).tracks[2].clips[0].start == 6000


def test_copied_talk_lies_in_the_time_that_opens_for_it():
    piece = {"track": 1, "clips": [{"recording": 1, "source": 200, "start": 0, "length": 600}]}
    longer = inserting.insert(talk_document(), at=3000, length=600, pieces=[piece])
    assert [(c.source, c.start, c.end) for c in longer.tracks[0].clips] == [
        (0, 0, 3000),
        (200, 3000, 3600),
        (3000, 3600, 10_600),
    ]
    assert [(c.source, c.start) for c in longer.tracks[1].clips] == [(0, 0), (3000, 3600)]


def test_nothing_is_put_in_where_nothing_was_copied():
    with pytest.raises(EditRefused, match="no time to put in"):
        inserting.insert(talk_document(), at=3000, length=0)


def test_a_cleared_stretch_that_time_is_put_into_can_still_be_put_back():
    cleared = cutting.clear(talk_document(), start=2000, stop=4000, tracks=[2])
    longer = inserting.insert(cleared, at=3000, length=500)
    assert [(seam.at, seam.length) for seam in longer.seams] == [(2000, 1000), (3500, 1000)]
    for seam in longer.seams:
        longer = cutting.put_back(longer, seam=seam.id)
    assert talk_of(longer) == talk_of(inserting.insert(talk_document(), at=3000, length=500))


@pytest.mark.parametrize(
    ("start", "stop", "left"),
    [(3000, 5000, [(2000, 1000)]), (1000, 3000, [(1000, 1000)]), (2500, 3500, [(2000, 500), (2500, 500)])],
)
def test_of_a_cleared_stretch_that_is_taken_out_in_part_the_rest_stays_one(start, stop, left):
    document = talk_document()
    cleared = cutting.clear(document, start=2000, stop=4000, tracks=[2])
    cut = cutting.take_out(cleared, start=start, stop=stop)
    assert [(seam.at, seam.length) for seam in cut.seams if not seam.closed] == left
    while cut.seams:
        cut = cutting.put_back(cut, seam=cut.seams[0].id)
    assert talk_of(cut) == talk_of(document)


# -- carrying -----------------------------------------------------------------------------------------------


@given(st.data())
@settings(max_examples=80, deadline=None)
def test_what_is_carried_away_and_back_sounds_as_before(data):
    document, start, stop = data.draw(documents_with_a_range())
    to = data.draw(st.integers(0, document.length))
    stop = min(stop, document.length)
    assume(stop - start >= 48 and not start <= to <= stop)
    try:
        carried = inserting.carry(document, start=start, stop=stop, to=to)
    except EditRefused:  # music would lie on music
        assume(False)
    length = stop - start
    assert sum(c.length for t in carried.linked_tracks() for c in t.clips) == sum(
        c.length for t in document.linked_tracks() for c in t.clips
    )
    at = to if to < start else to - length
    assume(stop < document.length and to < document.length)  # a stretch of nothing at the end is no length
    try:
        back = inserting.carry(carried, start=at, stop=at + length, to=stop if to < start else start)
    except EditRefused:
        assume(False)
    assert talk_of(back) == talk_of(document)


def test_a_carried_stretch_takes_its_seams_markers_and_music_along():
    document = cutting.take_out(talk_document(), start=7000, stop=7100)
    document = arranging.add_marker(document, at=6500, name="ladder")
    carried = inserting.carry(document, start=6000, stop=8000, to=1000)
    assert [marker.at for marker in carried.markers] == [1500]
    assert [seam.at for seam in carried.seams] == [2000]
    assert carried.tracks[2].clips[0].start == 1000
    assert in_step(cutting.put_back(carried, seam=carried.seams[0].id))
    with pytest.raises(EditRefused, match="lies there already"):
        inserting.carry(document, start=6000, stop=8000, to=7000)


# -- spots --------------------------------------------------------------------------------------------------


@given(documents_with_a_range(), st.integers(100, 9000))
@settings(max_examples=80, deadline=None)
def test_a_spot_that_is_taken_out_again_leaves_no_trace(case, length):
    document, at, _ = case
    with_spot = inserting.drop_spot(document, name="Fennick Notebooks", at=at, recording=9, length=length)
    assert in_step(with_spot)
    spot = next(clip for clip in with_spot.tracks[-1].clips)
    assert (spot.start, spot.length) == (at, length)
    without = inserting.lift_spot(with_spot, clip=spot.id)
    assert sound_of(replace_tracks(without, without.tracks[:-1])) == sound_of(document)
    assert without.markers == document.markers
    assert [(s.at, s.length) for s in without.seams] == [(s.at, s.length) for s in document.seams]


def replace_tracks(document, tracks):
    return Document(tracks, document.seams, document.markers)


def test_a_spot_at_the_end_of_the_talk_leaves_a_marker_behind_it_where_it_was():
    document = arranging.add_marker(talk_document(), at=10_001)
    with_spot = inserting.drop_spot(document, name="Fennick Notebooks", at=10_000, recording=9, length=4000)
    assert with_spot.markers[0].at == 14_001
    lifted = inserting.lift_spot(with_spot, clip=with_spot.tracks[-1].clips[0].id)
    assert lifted.markers == document.markers


def test_a_spot_under_talk_does_not_take_the_talk_with_it():
    document = arranging.add_track(talk_document(), name="Spot", kind="spot")
    document = arranging.add_clip(document, track=document.tracks[-1].id, recording=9, start=100, length=500)
    with pytest.raises(EditRefused, match="Somebody talks"):
        inserting.lift_spot(document, clip=document.tracks[-1].clips[0].id)


# -- turns --------------------------------------------------------------------------------------------------


def test_one_person_slides_over_what_they_left_silent_and_is_put_back():
    document = talk_document()
    slid = turns.slide(document, track=2, start=5000, stop=6000, by=-400)
    assert [(c.source, c.start, c.end) for c in slid.tracks[1].clips] == [
        (0, 0, 4600),
        (5000, 4600, 5600),
        (6000, 6000, 10_000),
    ]
    assert slid.tracks[0] == document.tracks[0]
    assert slid.length == document.length
    assert sound_of(cutting.put_back(slid, seam=slid.seams[0].id)) == sound_of(document)


def test_an_answer_pulled_closer_brings_everything_after_it():
    slid = turns.slide(talk_document(), track=2, start=5000, stop=6000, by=-400, follow=True)
    assert slid.length == 9600
    assert [(c.source, c.start) for c in slid.tracks[0].clips] == [(0, 0), (6000, 5600)]
    assert [(c.source, c.start) for c in slid.tracks[1].clips] == [(0, 0), (5000, 4600), (6000, 5600)]
    later = turns.slide(talk_document(), track=2, start=5000, stop=6000, by=400, follow=True)
    assert later.length == 10_400
    assert in_step(later)


def test_moving_nothing_is_refused():
    cleared = cutting.clear(talk_document(), start=2000, stop=4000, tracks=[2])
    with pytest.raises(EditRefused, match="nothing of this person"):
        turns.slide(cleared, track=2, start=2500, stop=3000, by=200)


# -- seams --------------------------------------------------------------------------------------------------


@given(documents_with_a_range(), st.integers(-500, 500), st.integers(-500, 500))
@settings(max_examples=100, deadline=None)
def test_sides_of_a_seam_dragged_there_and_back_are_where_they_were(case, first, last):
    document, start, stop = case
    stop = min(stop, document.length)
    cut = cutting.take_out(document, start=start, stop=stop)
    seam = max(cut.seams, key=lambda s: s.id).id
    assume(start + first >= 0 and stop - last <= document.length and stop - last - start - first >= 48)
    dragged = seams.drag_seam(cut, seam=seam, first=first, last=last)
    assert in_step(dragged)
    assert dragged.seam(seam).length == stop - start - first - last
    assert dragged.seam(seam).at == start + first
    back = seams.drag_seam(dragged, seam=seam, first=-first, last=-last)
    assert sound_of(back) == sound_of(cut)
    assert cutting.put_back(dragged, seam=seam).length == document.length


def test_a_cross_fade_keeps_its_length_and_kind_when_a_side_is_dragged():
    cut = cutting.take_out(talk_document(), start=2000, stop=4000)
    seam = cut.seams[0].id
    cut = seams.set_seam(cut, seam=seam, crossfade=4800, crossing="amplitude")
    dragged = seams.drag_seam(cut, seam=seam, first=100)
    assert (dragged.seams[0].crossfade, dragged.seams[0].crossing) == (4800, "amplitude")
    with pytest.raises(EditRefused, match="up to two seconds"):
        seams.set_seam(cut, seam=seam, crossfade=200_000)
    with pytest.raises(EditRefused, match="Put it back instead"):
        seams.drag_seam(cut, seam=seam, first=1990)


# -- clips and markers --------------------------------------------------------------------------------------


def test_what_was_split_is_joined_again():
    split = arranging.split(talk_document(), at=5000)
    assert sound_of(split) == sound_of(talk_document())
    assert arranging.join(split, at=5000) == talk_document()
    with pytest.raises(EditRefused, match="Nothing was split"):
        arranging.join(talk_document(), at=5000)


def test_a_slip_moves_the_sound_and_not_the_clip():
    document = arranging.slip(talk_document(), clip=30, by=700, frames=5000)
    assert (document.tracks[2].clips[0].source, document.tracks[2].clips[0].start) == (700, 6000)
    assert arranging.slip(document, clip=30, by=99_999, frames=5000).tracks[2].clips[0].source == 3000
    with pytest.raises(EditRefused, match="no more sound"):
        arranging.slip(talk_document(), clip=30, by=-5, frames=5000)


def two_pieces_of_music():
    return arranging.add_clip(talk_document(), track=3, recording=3, start=9000, length=500)


def test_music_moves_and_is_trimmed_with_all_that_follows_it():
    moved = arranging.move(two_pieces_of_music(), clip=30, start=6500, following=True)
    assert [c.start for c in moved.tracks[2].clips] == [6500, 9500]
    ended = arranging.trim(two_pieces_of_music(), clip=30, edge="end", at=7000, frames=9000, following=True)
    assert [(c.start, c.end) for c in ended.tracks[2].clips] == [(6000, 7000), (8000, 8500)]
    begun = arranging.trim(two_pieces_of_music(), clip=30, edge="start", at=6500, frames=9000, following=True)
    assert [(c.start, c.end, c.source) for c in begun.tracks[2].clips] == [(6000, 7500, 500), (8500, 9000, 0)]
    with pytest.raises(EditRefused, match="everybody"):
        arranging.move(talk_document(), clip=10, start=500, following=True)


def test_a_section_is_a_coloured_marker_that_moves_like_any_other():
    document = arranging.add_marker(talk_document(), at=4000, name="The ladder")
    marker = document.markers[0].id
    document = arranging.set_marker(document, marker=marker, tint=2, at=4500)
    cut = cutting.take_out(document, start=0, stop=1000)
    assert cut.markers == (Marker(marker, 3500, "The ladder", 2),)


def test_a_muted_clip_is_told_from_its_neighbour():
    split = arranging.split(talk_document(), at=5000)
    muted = arranging.set_clip(split, clip=10, muted=True)
    with pytest.raises(EditRefused):
        arranging.join(arranging.join(muted, at=5000), at=5000)
    assert muted.tracks[0].clips[0].muted


# -- everything together ------------------------------------------------------------------------------------


@st.composite
def edit_by_hand(draw, document):
    start, stop = draw(ranges(document))
    clips = [clip for track in document.tracks for clip in track.clips]
    clip = draw(st.sampled_from(clips)).id if clips else 0
    piece = {"track": 1, "clips": [{"recording": 1, "source": 0, "start": 0, "length": 480}]}
    edits = [
        ("insert", {"name": "silence", "at": start, "length": draw(st.integers(48, 3000))}),
        ("insert", {"name": "a copy", "at": start, "length": 480, "pieces": [piece]}),
        ("carry", {"start": start, "stop": stop, "to": draw(st.integers(0, max(document.length, 1)))}),
        ("slide", {"track": draw(st.integers(1, 2)), "start": start, "stop": stop,
                   "by": draw(st.integers(-4000, 4000)), "follow": draw(st.booleans())}),
        ("drop_spot", {"name": "Fennick Notebooks", "at": start, "recording": 9, "length": 900}),
        ("lift_spot", {"clip": clip}),
        ("take_out", {"start": start, "stop": stop, "whole": True}),
        ("set_clip", {"clip": clip, "muted": draw(st.booleans())}),
        ("slip", {"clip": clip, "by": draw(st.integers(-400, 400)), "frames": FRAMES}),
        ("join", {"at": start}),
    ]  # fmt: skip
    edits += [("drag_seam", {"seam": s.id, "first": draw(st.integers(-300, 300))}) for s in document.seams[:3]]
    return draw(st.sampled_from(edits))


@given(st.data())
@settings(max_examples=150, deadline=None)
def test_edits_by_hand_leave_a_valid_document_that_replays_and_survives_the_codec(data):
    base = document = data.draw(documents())
    journal = []
    for _ in range(data.draw(st.integers(1, 8))):
        if not document.length:
            break
        name, parameters = data.draw(st.one_of(edit_by_hand(document), random_edit(document)))
        try:
            document = check(apply(document, name, parameters))
        except PampaError:
            continue
        journal.append((name, parameters))
    for name, parameters in journal:
        base = apply(base, name, json.loads(json.dumps(parameters)))
    assert base == document
    assert decode(json.loads(json.dumps(encode(document)))) == document


def any_edit(dice, document):
    """A random edit, drawn without Hypothesis's bookkeeping: thousands of them are made."""
    start, stop = sorted((dice.randrange(document.length + 1), dice.randrange(document.length + 1)))
    stop = min(stop, start + 9000)
    clips = [clip for track in document.tracks for clip in track.clips]
    clip = dice.choice(clips).id if clips else 0
    seam = dice.choice(document.seams).id if document.seams else 0
    return dice.choice([
        ("take_out", {"start": start, "stop": stop}), ("take_out", {"start": start, "stop": stop}),
        ("clear", {"start": start, "stop": stop, "tracks": [dice.choice((1, 2))]}),
        ("put_back", {"seam": seam}), ("put_back", {"seam": seam}),
        ("drag_seam", {"seam": seam, "first": dice.randrange(-300, 300), "last": dice.randrange(-300, 300)}),
        ("split", {"at": start}), ("join", {"at": start}), ("set_clip", {"clip": clip, "gain_db": -3.0}),
        ("insert", {"name": "silence", "at": start, "length": dice.randrange(48, 4000)}),
        ("carry", {"start": start, "stop": stop, "to": dice.randrange(document.length + 1)}),
        ("slide", {"track": 2, "start": start, "stop": stop, "by": dice.randrange(-900, 900)}),
        ("trim", {"clip": clip, "edge": dice.choice(("start", "end")), "at": start, "frames": FRAMES}),
        ("move", {"clip": clip, "start": stop}), ("add_marker", {"at": start, "name": ""}),
    ])  # fmt: skip


@given(st.integers(0, 1 << 32))
@settings(max_examples=100, deadline=None)
def test_two_hundred_random_edits_are_undone_to_the_very_same_document(seed):
    """20,000 edits in all. Undo steps back through what each edit was made on."""
    dice = random.Random(seed)
    document = talk_document()
    past = []
    for _ in range(200):
        name, parameters = any_edit(dice, document)
        try:
            after = check(apply(document, name, parameters))
        except PampaError:
            continue
        past.append((document, name, parameters))
        document = after
        if document.length < 3000:
            document = past[0][0]
            past.clear()
    while past:
        before, name, parameters = past.pop()
        assert apply(before, name, parameters) == document
        document = before
    assert document == talk_document()


def test_the_gist_of_a_version():
    cut = cutting.take_out(talk_document(), start=2000, stop=3000)
    assert (gist(cut).length, gist(cut).seams, gist(cut).taken_out) == (9000, 1, 1000)
    restored = apply(cut, "restore", {"name": "the long one", "content": encode(talk_document())})
    assert restored == talk_document()


def test_numbers_in_the_document_stay_apart_when_clips_come_and_go():
    document = inserting.drop_spot(talk_document(), name="Spot", at=4000, recording=9, length=480)
    ids = [clip.id for track in document.tracks for clip in track.clips]
    assert len(ids) == len(set(ids))
    assert all(isinstance(clip, Clip) for track in document.tracks for clip in track.clips)
