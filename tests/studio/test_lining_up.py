"""Lining up, as use cases: measured, looked at, corrected, applied by one edit, and undone."""

import numpy as np
import pytest
import soundfile
from bench.conversations import double_ender

from pampa.core.errors import EditRefused, NotFound
from pampa.core.sound import RATE
from pampa.core.sync.clock import Clock
from pampa.core.sync.features import WORK_RATE
from pampa.store.models import Lining
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.conftest import linked_copy, make_episode


@pytest.fixture(scope="session")
def double_end_data(made_once, tmp_path_factory):
    """The call as reference, Anders' own file 4.88 s late and 38 ppm off, and Marisol's, which is the call's time."""
    files = tmp_path_factory.mktemp("double end")

    def make(data):
        studio = Studio(Settings(data=data, workers=2))
        episode = make_episode(studio)
        case = double_ender(150, 5)
        for name, sound in (("call", case.reference), ("anders", case.local), ("marisol", 0.5 * case.reference)):
            soundfile.write(files / f"{name}.wav", sound, WORK_RATE)
            role = "reference" if name == "call" else "person"
            studio.recordings.add_file(episode, files / f"{name}.wav", role=role)
            studio.jobs.wait()
        studio.close()

    return made_once("double-end", make)


@pytest.fixture
def studio(double_end_data, tmp_path):
    studio = Studio(Settings(data=linked_copy(double_end_data, tmp_path / "data"), workers=2))
    yield studio
    studio.close()


@pytest.fixture
def double_end(studio):
    """The number of the episode, and of each recording by its name."""
    return 1, {recording.name.split(".")[0]: recording.id for recording in studio.recordings.of_episode(1)}


def measured(studio, episode, numbers):
    studio.lining_up.start(episode, numbers["call"])
    studio.jobs.wait()
    return {proposal.measured.recording: proposal for proposal in studio.lining_up.proposals(episode)}


def test_people_are_measured_put_in_step_and_set_back_by_undo(studio, double_end):
    episode, numbers = double_end
    before = studio.editing.state(episode).document
    found = measured(studio, episode, numbers)
    anders = found[numbers["anders"]]
    assert anders.measured.clock.offset_s == pytest.approx(4.88, abs=0.002)
    assert anders.measured.clock.drift_ppm == pytest.approx(38, abs=5)
    assert (anders.in_place, found[numbers["marisol"]].in_place) == (True, False)  # the first one stays
    assert studio.editing.state(episode).document == before
    made = studio.lining_up.apply(episode)
    assert all(proposal.in_place for proposal in studio.lining_up.proposals(episode))
    one, other = (track.clips[0] for track in made.document.tracks)
    # Anders was brought in first, so he stays, and Marisol, who began earlier, makes him begin later.
    assert (other.start, one.start) == (0, pytest.approx(4.88 * RATE, abs=0.003 * RATE))
    assert made.document.drift_ppm(numbers["marisol"]) == pytest.approx(-38, abs=5)
    assert studio.editing.undo(episode).document == before
    assert not all(proposal.in_place for proposal in studio.lining_up.proposals(episode))
    assert studio.editing.redo(episode).document == made.document
    with pytest.raises(EditRefused, match="as measured already"):
        studio.lining_up.apply(episode)


def test_what_is_heard_after_lining_up_is_in_step(studio, double_end):
    """In the mix, Anders' voice in his own recording and in Marisol's (the call) meets within a millisecond."""
    episode, numbers = double_end
    measured(studio, episode, numbers)
    document = studio.lining_up.apply(episode).document
    heard = []
    for track in document.tracks:
        mix = studio.listening.mix(studio.editing.state(episode), treated=False, only=frozenset({track.id}))
        heard.append(mix.read(60 * RATE, 90 * RATE)[:, 0] * np.hanning(30 * RATE))
    size = 1 << 21
    cross = np.fft.rfft(heard[0], size) * np.conj(np.fft.rfft(heard[1], size))
    lag = int(np.argmax(np.abs(np.fft.irfft(cross / (np.abs(cross) + 1e-6), size))))
    assert min(lag, size - lag) < RATE // 1000


def test_a_nudge_moves_the_proposal_and_then_the_sheet(studio, double_end):
    episode, numbers = double_end
    measured(studio, episode, numbers)
    before = studio.lining_up.apply(episode).document
    studio.lining_up.nudge(episode, numbers["marisol"], 10)
    proposal = next(p for p in studio.lining_up.proposals(episode) if p.measured.recording == numbers["marisol"])
    assert (proposal.in_place, proposal.measured.nudged_ms) == (False, 10)
    after = studio.lining_up.apply(episode).document
    moved = [a.clips[0].start - b.clips[0].start for a, b in zip(after.tracks, before.tracks, strict=True)]
    assert moved == [0, 480]


def test_places_set_by_hand_count_like_measured_ones(studio, double_end):
    episode, numbers = double_end
    studio.lining_up.set_by_hand(episode, numbers["marisol"], numbers["call"], [(10.0, 10.0)])
    studio.lining_up.set_by_hand(episode, numbers["anders"], numbers["call"], [(10.0, 14.88), (130.0, 134.8845)])
    proposals = {p.measured.recording: p.measured for p in studio.lining_up.proposals(episode)}
    assert proposals[numbers["anders"]].clock.drift_ppm == pytest.approx(37.5)
    assert proposals[numbers["anders"]].by_hand
    document = studio.lining_up.apply(episode).document
    assert document.tracks[0].clips[0].start == pytest.approx(4.88 * RATE, abs=0.002 * RATE)
    studio.lining_up.set_by_hand(episode, numbers["anders"], numbers["call"], [(10.0, 14.9)])
    again = {p.measured.recording: p.measured for p in studio.lining_up.proposals(episode)}
    assert again[numbers["anders"]].clock == Clock(pytest.approx(4.8996, abs=1e-3), pytest.approx(37.5))


def test_both_are_drawn_and_heard_as_they_lie(studio, double_end):
    episode, numbers = double_end
    proposal = measured(studio, episode, numbers)[numbers["anders"]]
    assert len(proposal.views_s) == 3
    assert len(studio.lining_up.view(episode, numbers["anders"], proposal.views_s[0], 300)) == 2 * 300 * 4
    at = proposal.views_s[1]
    both, ears, rest = (
        studio.lining_up.sound(episode, numbers["anders"], at, 4, way) for way in ("both", "ears", "difference")
    )
    assert both.shape == ears.shape == rest.shape == (4 * RATE, 2)
    levels = np.sqrt((ears**2).mean(axis=0))
    assert levels[0] == pytest.approx(levels[1], rel=0.02)
    own = studio.lining_up.sound(episode, numbers["marisol"], at, 4, "difference")
    assert np.sqrt((own**2).mean()) < 0.01 * levels[0]


def test_who_does_not_belong_is_said_so_and_never_moved(studio, double_end, talk_file):
    episode, numbers = double_end
    stranger = studio.recordings.add_file(episode, talk_file("other.wav", seconds=60, seed=9), person="Nola Brant").id
    studio.jobs.wait()
    found = measured(studio, episode, {**numbers})
    assert not found[stranger].measured.found.matched
    assert "Nothing was moved" in found[stranger].measured.found.reason
    before = studio.editing.state(episode).document.tracks[2]
    assert studio.lining_up.apply(episode).document.tracks[2].clips[0].length == before.clips[0].length
    assert [move["recording"] for move in moved_by(studio)] == [numbers["marisol"]]


def moved_by(studio):
    """What the last line-up was told."""
    from sqlalchemy import select

    from pampa.store.models import JournalEntry

    with studio.editing._sessions() as session:
        wanted = select(JournalEntry).where(JournalEntry.name == "line_up").order_by(JournalEntry.position.desc())
        return session.scalars(wanted).first().parameters["tracks"]


def test_refusals_say_why_and_move_nothing(studio, double_end, tmp_path):
    episode, numbers = double_end
    with pytest.raises(EditRefused, match="reference"):
        studio.lining_up.start(episode, 999)
    twin = tmp_path / "twin.wav"
    call = next(each for each in studio.recordings.of_episode(episode) if each.id == numbers["call"])
    twin.write_bytes(studio.media.original(call.sha256, call.suffix).read_bytes())
    same = studio.recordings.add_file(episode, twin, person="Twin").id
    studio.jobs.wait()
    with pytest.raises(EditRefused, match="very same file"):
        studio.lining_up.start(episode, numbers["call"], [same])
    with pytest.raises(EditRefused, match="nobody"):
        studio.lining_up.start(episode, numbers["call"], [numbers["call"]])
    with pytest.raises(NotFound, match="measured yet"):
        studio.lining_up.nudge(episode, numbers["anders"], 5)
    with pytest.raises(NotFound, match="not on the list"):
        studio.lining_up.set_by_hand(episode, 999, numbers["call"], [(1.0, 2.0)])
    assert studio.lining_up.proposals(episode) == []


def test_another_reference_begins_anew(studio, double_end):
    episode, numbers = double_end
    measured(studio, episode, numbers)
    studio.lining_up.start(episode, numbers["marisol"], [numbers["anders"]])
    studio.jobs.wait()
    with studio.editing._sessions() as session:
        assert {row.reference_id for row in session.query(Lining)} == {numbers["marisol"]}
