"""Finds as a use case: looked for behind the page, kept, tied to recordings, looked for again when people move."""

import numpy as np
import pytest
import soundfile

from pampa.core.sound import RATE
from tests.core.test_finds import conversation


@pytest.fixture
def talked(studio, episode, tmp_path):
    """An episode with 40 s of two people in step."""
    for person, sound in zip(("Marisol Vey", "Anders Quill"), conversation(), strict=True):
        path = tmp_path / f"{person}.wav"
        soundfile.write(path, sound[: 40 * RATE], RATE, subtype="PCM_24")
        studio.recordings.add_file(episode, path, person=person)
    studio.jobs.wait(120)
    return episode


def known(studio, episode):
    """The finds, once they have been looked for."""
    studio.finding.of_episode(episode)
    studio.jobs.wait(120)
    return studio.finding.of_episode(episode)


def test_finds_are_looked_for_when_they_are_asked_for_and_then_kept(studio, talked):
    first = studio.finding.of_episode(talked)
    assert (first.finds, first.waits) == ([], True)
    found = known(studio, talked)
    assert found.waits is False
    recordings = {r.person: r.id for r in studio.recordings.of_episode(talked)}
    fillers = [find for find in found.finds if find["kind"] == "filler"]
    assert fillers
    assert {find["recording"] for find in fillers} == {recordings["Anders Quill"]}
    assert all(0 <= find["start"] < find["stop"] <= 41 * RATE for find in found.finds)


def test_cuts_and_decisions_do_not_change_what_was_found(studio, talked):
    found = known(studio, talked)
    studio.editing.edit(talked, "take_out", {"start": 5 * RATE, "stop": 8 * RATE})
    one = {name: found.finds[0][name] for name in ("kind", "recording", "start", "stop")}
    studio.editing.edit(talked, "leave", {"name": "one", "finds": [one]})
    assert studio.finding.of_episode(talked) == found
    assert len(studio.editing.state(talked).document.left) == 1
    assert studio.editing.undo(talked).document.left == ()


def test_when_people_are_put_in_step_otherwise_it_is_looked_again(studio, talked):
    before = known(studio, talked)
    document = studio.editing.state(talked).document
    anders = next(track for track in document.tracks if track.name == "Anders Quill")
    studio.editing.edit(talked, "nudge", {"track": anders.id, "by": RATE})
    assert studio.finding.of_episode(talked).waits
    after = known(studio, talked)

    def fillers(found):
        return np.array([find["start"] for find in found.finds if find["kind"] == "filler"])

    np.testing.assert_allclose(fillers(after), fillers(before), atol=0.02 * RATE)  # on the recording's own time


def test_an_episode_without_people_has_no_finds(studio, episode):
    assert studio.finding.of_episode(episode).finds == []
    assert studio.finding.of_episode(episode).waits is False
