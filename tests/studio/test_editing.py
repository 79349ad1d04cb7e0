"""Editing: what was accepted is kept, what was refused changed nothing, and every step can be taken back."""

import pytest
from sqlalchemy import func, select

from pampa.core.errors import EditRefused, NotFound
from pampa.store.models import JournalEntry, Snapshot
from pampa.studio.editing import SNAPSHOT_EVERY, SNAPSHOTS_KEPT, RevisionConflict
from pampa.studio.studio import Studio

SECOND = 48_000


def cut(studio, episode, start, stop, **more):
    return studio.editing.edit(episode, "take_out", {"start": start * SECOND, "stop": stop * SECOND}, **more)


def test_undo_and_redo_give_the_very_same_documents(studio, two_people):
    states = [studio.editing.state(two_people)]
    states += [cut(studio, two_people, n, n + 1) for n in (1, 3, 5)]
    for state in reversed(states[:-1]):
        assert studio.editing.undo(two_people).document == state.document
    for state in states[1:]:
        assert studio.editing.redo(two_people).document == state.document


def test_everything_is_kept_across_a_restart(studio, two_people):
    cut(studio, two_people, 1, 2)
    second = cut(studio, two_people, 4, 5)
    studio.editing.undo(two_people)
    before = studio.editing.state(two_people)
    studio.close()
    again = Studio(studio.settings)
    try:
        after = again.editing.state(two_people)
        assert (after.document, after.revision) == (before.document, before.revision)
        assert after.undo == before.undo == "Took out 1.0 s at 0:00:01.0"
        assert again.editing.redo(two_people).document == second.document
    finally:
        again.close()


def test_an_edit_against_an_old_revision_is_refused_and_nothing_is_lost(studio, two_people):
    old = studio.editing.state(two_people).revision
    kept = cut(studio, two_people, 1, 2, revision=old)
    with pytest.raises(RevisionConflict, match="Nothing was lost"):
        cut(studio, two_people, 3, 4, revision=old)
    assert studio.editing.state(two_people) == kept


def test_a_new_edit_after_undo_takes_the_place_of_what_was_undone(studio, two_people):
    cut(studio, two_people, 1, 2)
    studio.editing.undo(two_people)
    state = cut(studio, two_people, 6, 7)
    assert state.redo is None
    with pytest.raises(EditRefused, match="nothing to redo"):
        studio.editing.redo(two_people)


def test_undo_stops_at_the_beginning(studio, episode):
    with pytest.raises(EditRefused, match="nothing to undo"):
        studio.editing.undo(episode)


def test_a_refused_edit_leaves_no_trace(studio, two_people):
    before = studio.editing.state(two_people)
    with pytest.raises(EditRefused):
        studio.editing.edit(two_people, "take_out", {"start": 5, "stop": 5})
    with pytest.raises(NotFound):
        studio.editing.edit(two_people, "put_back", {"seam": 999})
    assert studio.editing.state(two_people) == before


def test_snapshots_make_a_long_journal_open_without_replaying_it(studio, episode):
    studio.editing.edit(episode, "add_track", {"name": "Marisol Vey", "kind": "person"})
    edits = 6 * SNAPSHOT_EVERY + 20
    for n in range(edits):
        state = studio.editing.edit(episode, "add_marker", {"at": n * 100})
    studio.close()
    with studio.editing._sessions() as session:
        assert session.scalar(select(func.count()).select_from(Snapshot)) == SNAPSHOTS_KEPT
        assert session.scalar(select(func.count()).select_from(JournalEntry)) == edits + 1
    again = Studio(studio.settings)
    try:
        assert again.editing.state(episode).document == state.document
        for _ in range(40):
            undone = again.editing.undo(episode)
        assert len(undone.document.markers) == edits - 40
    finally:
        again.close()


def test_trim_and_nudge_know_how_long_recordings_are(studio, two_people):
    clip = studio.editing.state(two_people).document.tracks[0].clips[0]
    state = studio.editing.edit(two_people, "trim", {"clip": clip.id, "edge": "end", "at": 10**9})
    assert state.document.tracks[0].clips[0].length == 12 * SECOND
    track = state.document.tracks[1].id
    nudged = studio.editing.edit(two_people, "nudge", {"track": track, "by": 480})
    assert nudged.document.tracks[1].clips[0].start == 480


def test_history_names_what_was_done(studio, two_people):
    cut(studio, two_people, 1, 2)
    studio.editing.undo(two_people)
    entries = studio.editing.history(two_people)
    assert [entry["in_force"] for entry in entries] == [False, True, True]
    assert entries[1]["what"] == "Brought in Anders Quill"


@pytest.mark.parametrize("number", [2252, 0])
def test_a_recording_that_is_not_there_is_not_laid(studio, two_people, number):
    """An episode with it could neither be heard nor exported."""
    before = studio.editing.state(two_people)
    told = {"track": before.document.tracks[0].id, "recording": number, "length": 4800, "start": 48_000 * 60}
    with pytest.raises(EditRefused, match="bring it in first"):
        studio.editing.edit(two_people, "add_clip", told)
    assert studio.editing.state(two_people).revision == before.revision
