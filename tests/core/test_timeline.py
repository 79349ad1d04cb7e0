"""What must hold of every edit, whatever the episode looks like."""

import json
import random
from itertools import permutations

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from pampa.core.errors import EditRefused, NotFound
from pampa.core.timeline import arranging, cutting, lining
from pampa.core.timeline.codec import decode, encode
from pampa.core.timeline.document import Clip, Document, Track, check
from pampa.core.timeline.edits import EDITS, apply, clock, describe
from tests.core.documents import FRAMES, documents, documents_with_a_range, ranges, sound_of


def talk_document() -> Document:
    """Two people of 10 000 frames each, in step, and a piece of music at 6000."""
    return check(
        Document(
            (
                Track(1, "Marisol Vey", "person", (Clip(10, 1, 0, 0, 10_000),)),
                Track(2, "Anders Quill", "person", (Clip(20, 2, 0, 0, 10_000),)),
                Track(3, "Theme", "music", (Clip(30, 3, 0, 6000, 2000),)),
            )
        )
    )


def in_step(document: Document) -> bool:
    """Whether every frame of talk still stands against the same moment of the others."""
    lags = set()
    first, second = document.tracks[:2]
    for a in first.clips:
        for b in second.clips:
            if a.start < b.end and b.start < a.end:
                lags.add((a.source - a.start) - (b.source - b.start))
    return lags <= {0}


@given(documents_with_a_range())
@settings(max_examples=120, deadline=None)
def test_putting_back_restores_the_very_same_document(case):
    document, start, stop = case
    edited = cutting.take_out(document, start=start, stop=stop)
    assert cutting.put_back(edited, seam=max(edited.seams, key=lambda s: s.id).id) == document


@given(documents_with_a_range())
@settings(max_examples=100, deadline=None)
def test_taking_out_shortens_the_talk_and_keeps_it_in_step(case):
    document, start, stop = case
    edited = cutting.take_out(document, start=start, stop=stop)
    assert in_step(edited)
    for old, new in zip(document.linked_tracks(), edited.linked_tracks(), strict=True):
        inside = sum(max(min(c.end, stop) - max(c.start, start), 0) for c in old.clips)
        assert sum(c.length for c in new.clips) == sum(c.length for c in old.clips) - inside


@given(documents_with_a_range())
@settings(max_examples=100, deadline=None)
def test_clearing_moves_nothing_and_can_be_put_back(case):
    document, start, stop = case
    try:
        edited = cutting.clear(document, start=start, stop=stop)
    except EditRefused:
        assume(False)
    assert cutting.put_back(edited, seam=edited.seams[0].id) == document


@given(st.data())
@settings(max_examples=120, deadline=None)
def test_many_cuts_put_back_in_any_order_sound_as_before(data):
    document = original = data.draw(documents())
    for _ in range(data.draw(st.integers(1, 5))):
        if document.length < 500:
            break
        start, stop = data.draw(ranges(document))
        try:
            document = cutting.take_out(document, start=start, stop=stop)
        except EditRefused:
            continue
        assert in_step(document)
    order = random.Random(data.draw(st.integers(0, 99)))
    while document.seams:
        document = cutting.put_back(document, seam=order.choice(document.seams).id)
    talk = [run for run in sound_of(document) if run[0] != 3]
    assert talk == [run for run in sound_of(original) if run[0] != 3]


def test_cuts_on_one_spot_go_back_in_any_order():
    """Cutting again and again at the same place, and up to an earlier seam, leaves several seams on one spot."""
    original = talk_document()
    for order in permutations(range(4)):
        document, seams = original, []
        for start, stop in ((401, 449), (47, 352), (0, 48), (0, 48)):
            known = {seam.id for seam in document.seams}
            document = cutting.take_out(document, start=start, stop=stop)
            seams += [seam.id for seam in document.seams if seam.id not in known]
        waiting = [seams[index] for index in order]
        while waiting:
            here = next(seam for seam in waiting if seam in {held.id for held in document.seams})
            document = cutting.put_back(document, seam=here)
            waiting.remove(here)
        assert sound_of(document) == sound_of(original)


@given(documents_with_a_range())
def test_the_codec_gives_back_what_it_was_given(case):
    document, start, stop = case
    edited = cutting.take_out(document, start=start, stop=stop)
    assert decode(json.loads(json.dumps(encode(edited)))) == edited


@given(st.data())
@settings(max_examples=120, deadline=None)
def test_replaying_a_journal_gives_the_same_document(data):
    """Random edits, accepted or refused, always leave a valid document; replayed, they make the same one."""
    base = document = data.draw(documents())
    journal = []
    for _ in range(data.draw(st.integers(1, 8))):
        if not document.length:
            break
        name, parameters = data.draw(random_edit(document))
        try:
            document = check(apply(document, name, parameters))
        except (EditRefused, NotFound):
            continue
        journal.append((name, parameters))
    for name, parameters in journal:
        base = apply(base, name, json.loads(json.dumps(parameters)))
    assert base == document


@st.composite
def random_edit(draw, document):
    start, stop = draw(ranges(document))
    all_clips = [clip.id for track in document.tracks for clip in track.clips] or [0]
    clip = draw(st.sampled_from(all_clips))
    edits = [
        ("take_out", {"start": start, "stop": stop}),
        ("clear", {"start": start, "stop": stop, "tracks": [draw(st.integers(1, 3))]}),
        ("split", {"at": start}),
        ("move", {"clip": clip, "start": stop}),
        ("trim", {"clip": clip, "edge": draw(st.sampled_from(["start", "end"])), "at": start, "frames": FRAMES}),
        ("set_clip", {"clip": clip, "gain_db": -6.0, "fade_in": draw(st.integers(0, 300))}),
        ("add_marker", {"at": start, "name": "tide"}),
    ]
    edits += [("put_back", {"seam": seam.id}) for seam in document.seams]
    return draw(st.sampled_from(edits))


def test_taking_out_closes_up_everybody_and_moves_the_music_along():
    edited = cutting.take_out(talk_document(), start=2000, stop=3000)
    assert edited.length == 9000
    for track in edited.tracks[:2]:
        assert [(c.source, c.start, c.length) for c in track.clips] == [(0, 0, 2000), (3000, 2000, 7000)]
    assert edited.tracks[2].clips[0].start == 5000


def test_music_across_a_cut_stays_whole():
    edited = cutting.take_out(talk_document(), start=6500, stop=7000)
    assert [(c.start, c.length) for c in edited.tracks[2].clips] == [(6000, 2000)]


def test_pinned_music_stays_in_its_place():
    document = arranging.set_track(talk_document(), track=3, pinned=True)
    assert cutting.take_out(document, start=0, stop=3000).tracks[2].clips[0].start == 6000


def test_clearing_one_person_leaves_the_others_alone():
    document = talk_document()
    edited = cutting.clear(document, start=2000, stop=3000, tracks=[2])
    assert edited.tracks[0] == document.tracks[0]
    assert [(c.start, c.end) for c in edited.tracks[1].clips] == [(0, 2000), (3000, 10_000)]


def test_an_empty_selection_is_refused_with_advice():
    with pytest.raises(EditRefused, match="Nothing is selected"):
        cutting.take_out(talk_document(), start=500, stop=500)


def test_a_piece_cannot_be_moved_onto_another():
    document = arranging.split(talk_document(), at=5000)
    with pytest.raises(EditRefused, match="on top of each other"):
        arranging.move(document, clip=document.tracks[0].clips[1].id, start=3000)


def test_trimming_stops_at_the_ends_of_the_recording():
    document = arranging.trim(talk_document(), clip=30, edge="end", at=1_000_000, frames=5000)
    assert document.tracks[2].clips[0].length == 5000
    assert arranging.trim(document, clip=30, edge="start", at=0, frames=5000).tracks[2].clips[0].start == 6000


def test_a_nudge_slides_sound_under_the_cuts():
    """Ends that are the recording's own move; cut ends stay, so that nobody else's cuts are touched."""
    edited = cutting.take_out(talk_document(), start=2000, stop=3000)
    nudged = lining.nudge(edited, track=2, by=100, frames=[[2, 10_000]])
    assert [(c.source, c.start, c.end) for c in nudged.tracks[1].clips] == [(0, 100, 2000), (2900, 2000, 9100)]
    assert nudged.tracks[0] == edited.tracks[0]
    back = lining.nudge(nudged, track=2, by=-100, frames=[[2, 10_000]])
    assert sound_of(back) == sound_of(edited)


def test_every_edit_has_a_sentence():
    assert all(edit.sentence for edit in EDITS.values())
    assert describe("take_out", {"start": 48_000, "stop": 96_000}) == "Took out 1.0 s at 0:00:01.0"
    assert clock(48_000 * 260 + 14_400) == "0:04:20.3"


@pytest.mark.parametrize(
    ("name", "parameters", "message"),
    [
        ("put_back", {"seam": 99}, "put back already"),
        ("set_marker", {"marker": 99, "name": "x"}, "marker"),
        ("set_track", {"track": 1, "name": "  "}, "needs a name"),
        ("set_track", {"track": 1, "gain_db": 90.0}, "between"),
        ("set_clip", {"clip": 10, "fade_in": 20_000}, "longer than"),
        ("move", {"clip": 10, "start": -5}, "before the beginning"),
        ("unheard_of", {}, "knows no edit"),
    ],
)
def test_refusals_say_why(name, parameters, message):
    with pytest.raises((EditRefused, NotFound), match=message):
        apply(talk_document(), name, parameters)
