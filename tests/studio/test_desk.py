"""The desk: every episode drawn small, with what it needs next."""

import shutil

import pytest

from pampa.studio.next_step import Facts, next_step

NOTHING = {
    "recordings": 3, "coming": [], "unsure": [], "unnamed": [], "people": 2, "out_of_step": [], "call": None,
    "mended": True, "pruned": True, "edited": 9, "sent": None,
}  # fmt: skip


@pytest.mark.parametrize(
    ("facts", "stage", "told"),
    [
        ({"recordings": 0}, "gather", "Drop all recordings"),
        ({"coming": ["a.wav", "b.wav"]}, "gather", "a.wav and b.wav are coming in"),
        ({"unsure": ["b.wav"]}, "gather", "Say what b.wav is"),
        ({"unnamed": ["a.wav"]}, "gather", "Say who is on a.wav"),
        ({"people": 0}, "gather", "Nobody talks in it yet"),
        ({"pruned": False, "out_of_step": ["Anders Quill"], "call": "call.wav"}, "line-up",
         "Line Anders Quill up with call.wav"),
        ({"pruned": False, "mended": False}, "mend", "check-ups propose"),
        ({"pruned": False}, "prune", "go through the finds"),
        ({}, "send-out", "send it out"),
        ({"sent": 8}, "send-out", "changed since"),
        ({"sent": 9}, None, "Sent out as it stands"),
    ],
)  # fmt: skip
def test_the_first_thing_that_is_not_done_comes_next(facts, stage, told):
    step = next_step(Facts(**{**NOTHING, **facts}))
    assert step.stage == stage
    assert told in step.told


def test_an_episode_is_drawn_with_everybody_and_drawn_anew_after_an_edit(studio, two_people):
    glance = studio.desk.glance(two_people)
    document = studio.editing.state(two_people).document
    assert glance.length == document.length
    assert [person.name for person in glance.people] == [track.name for track in document.tracks if track.clips]
    assert all(len(person.levels) == 160 and max(person.levels) > 100 for person in glance.people)
    studio.editing.edit(two_people, "set_track", {"track": document.tracks[0].id, "muted": True})
    assert [person.name for person in studio.desk.glance(two_people).people] == [document.tracks[1].name]


def test_an_empty_episode_says_how_to_begin(studio, episode):
    glance = studio.desk.glance(episode)
    assert (glance.length, glance.people, glance.lufs, glance.step.stage) == (0, [], None, "gather")


def test_nothing_is_made_again_to_be_drawn(studio, two_people):
    for track in studio.editing.state(two_people).document.tracks[:2]:
        shutil.rmtree(studio.sounds.folder(track.clips[0].recording))
    glance = studio.desk.glance(two_people)
    assert [max(person.levels) for person in glance.people] == [0, 0]
    assert not any((studio.settings.data / "conformed").iterdir())
