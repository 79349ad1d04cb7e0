"""Deciding about finds, as edits of the document; and finds tied to recordings wherever those lie."""

import numpy as np
import pytest

from pampa.core.errors import EditRefused
from pampa.core.finds.find import Heard
from pampa.core.finds.placed import Lying, find_placed, packed, unpacked
from pampa.core.sound import RATE
from pampa.core.timeline.codec import decode, encode
from pampa.core.timeline.document import Clip, Document, Track
from pampa.core.timeline.edits import apply, describe
from tests.core.test_finds import heard

FIND = {"kind": "filler", "recording": 5, "start": 100, "stop": 900}


def two_people(seconds=60):
    length = seconds * RATE
    return Document(
        (Track(1, "Marisol Vey", "person", (Clip(3, 5, 0, 0, length),)),
         Track(2, "Anders Quill", "person", (Clip(4, 6, 0, 0, length),)))
    )  # fmt: skip


def sources(document, track):
    return [(clip.source, clip.source_end) for clip in document.track(track).clips]


def test_many_are_taken_out_in_one_edit_and_put_back_one_by_one():
    before = two_people()
    cuts = [{"start": 10 * RATE, "stop": 12 * RATE}, {"start": 2 * RATE, "stop": 3 * RATE}]
    after = apply(before, "prune", {"name": "2 fillers", "cuts": cuts})
    assert after.length == 57 * RATE
    for track in (1, 2):
        assert sources(after, track) == [(0, 2 * RATE), (3 * RATE, 10 * RATE), (12 * RATE, 60 * RATE)]
    for seam in reversed(after.seams):
        after = apply(after, "put_back", {"seam": seam.id})
    assert after == before


def test_ranges_that_overlap_are_taken_out_as_one():
    cuts = [{"start": 2 * RATE, "stop": 4 * RATE}, {"start": 3 * RATE, "stop": 5 * RATE}]
    after = apply(two_people(), "prune", {"name": "2 restarts", "cuts": cuts})
    assert sources(after, 1) == [(0, 2 * RATE), (5 * RATE, 60 * RATE)]
    assert len(after.seams) == 1


def test_what_one_says_under_another_is_taken_out_of_their_track_only_and_nothing_moves():
    cuts = [{"start": 2 * RATE, "stop": 4 * RATE, "tracks": [1]}, {"start": 8 * RATE, "stop": 9 * RATE}]
    after = apply(two_people(), "prune", {"name": "an agreement", "cuts": cuts})
    assert sources(after, 1) == [(0, 2 * RATE), (4 * RATE, 8 * RATE), (9 * RATE, 60 * RATE)]
    assert sources(after, 2) == [(0, 8 * RATE), (9 * RATE, 60 * RATE)]
    assert after.length == 59 * RATE


def test_nothing_to_take_out_is_refused():
    with pytest.raises(EditRefused):
        apply(two_people(), "prune", {"name": "nothing", "cuts": []})


def test_what_is_left_stays_left_through_the_codec_until_it_is_asked_about_again():
    left = apply(two_people(), "leave", {"name": "a filler", "finds": [FIND, FIND]})
    assert len(left.left) == 1
    assert decode(encode(left)) == left
    assert apply(left, "leave", {"name": "a filler", "finds": [FIND]}) == left
    assert apply(left, "reopen", {"name": "a filler", "finds": [FIND]}) == two_people()
    assert describe("leave", {"name": "a filler", "finds": [FIND]}) == "Left a filler"


def test_a_document_from_before_there_were_finds_is_read():
    old = encode(two_people())
    del old["left"]
    assert decode(old) == two_people()


def test_finds_are_told_in_frames_of_their_recordings_wherever_those_lie():
    """Anders's recording begins 4 s late and its clock drifts: the same moments are found in it."""
    marisol, anders = heard()
    together = find_placed([Lying(marisol, 0), Lying(anders, 0)])
    features, sounds = (
        type(kind)(*(curve[400:] for curve in vars(kind).values())) for kind in (anders.features, anders.sounds)
    )
    late = Heard(features, [], sounds)
    apart = find_placed([Lying(marisol, 7), Lying(late, 7 + 4 * RATE, 300.0)])

    def fillers(found, add, pace):
        return np.array(
            [[f.start / pace + add, f.stop / pace + add] for f in found if f.kind == "filler" and f.recording]
        )

    true = fillers(together, 0, 1)
    moved = fillers(apart, 4 * RATE, 1 + 300e-6)
    true = true[true[:, 0] > 5 * RATE]
    assert len(moved) == len(true) > 0
    assert np.abs(moved - true).max() < 0.04 * RATE


def test_what_was_heard_is_kept_and_read_again(tmp_path):
    whole = heard()[1]
    np.savez(tmp_path / "heard.npz", **packed(whole))
    with np.load(tmp_path / "heard.npz") as arrays:
        again = unpacked(dict(arrays))
    assert again.clicks == whole.clicks
    for name, curve in {**vars(whole.features), **vars(whole.sounds)}.items():
        np.testing.assert_array_equal({**vars(again.features), **vars(again.sounds)}[name], curve)
