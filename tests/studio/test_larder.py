"""The larder: what comes in, is kept, found, heard and used; and patterns, which draw on it."""

import threading
import time

import numpy as np
import pytest
import soundfile

from pampa.core.errors import EditRefused, NotFound
from pampa.core.sound import RATE
from pampa.store.models import Piece, Recording
from pampa.studio.larder import plain_name
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.signals import noise
from tests.studio.test_recordings import send


@pytest.fixture
def show(studio, episode):
    return studio.shows.episode(episode)[0].id


@pytest.fixture
def demo(demo_copy):
    studio = Studio(Settings(data=demo_copy, workers=2))
    yield studio
    studio.close()


def into_larder(studio, show, path, kind="music"):
    data = path.read_bytes()
    upload = studio.larder.begin_upload(show, path.name, len(data), kind)
    number = studio.uploads.receive(upload.id, 0, data).recording_id
    studio.jobs.wait()
    return number


def names(found):
    return [piece.name for piece, _ in found.pieces]


def test_a_file_for_the_larder_is_measured_and_lies_in_no_episode(studio, episode, show, sample):
    number = into_larder(studio, show, sample[0] / "theme.flac")
    [(piece, _)] = studio.larder.search(show).pieces
    assert (piece.recording_id, piece.name, piece.kind) == (number, "Theme", "music")
    assert piece.bpm == pytest.approx(92, abs=0.2)
    assert -30 < piece.loudness_lufs < -8
    assert studio.recordings.of_episode(episode) == []
    assert [e.title for e in studio.shows.episodes(show)] == ["The Pilot Ladder"]


def test_search_takes_all_words_in_any_order_in_name_tags_and_kind(studio, show, talk_file):
    number = into_larder(studio, show, talk_file("harbour_bell.wav"), "effects")
    into_larder(studio, show, talk_file("spot_a.wav", seconds=20, seed=3), "spot")
    studio.larder.change(number, name="Übersee bell", tags="port  NIGHT 50%_off")
    assert names(studio.larder.search(show, "night übersee")) == ["Übersee bell"]
    assert names(studio.larder.search(show, "NIG effects")) == ["Übersee bell"]
    assert names(studio.larder.search(show, "50%_")) == ["Übersee bell"]
    assert names(studio.larder.search(show, "%")) == ["Übersee bell"]
    assert names(studio.larder.search(show, "bell day")) == []
    assert names(studio.larder.search(show, kind="spot")) == ["Spot a"]
    assert names(studio.larder.search(show, longest_s=10)) == ["Übersee bell"]
    assert names(studio.larder.search(show, shortest_s=10)) == ["Spot a"]


def test_a_piece_is_laid_where_it_is_wanted_and_then_comes_first(studio, episode, show, talk_file):
    for seed, name in enumerate(("bell.wav", "call of gulls.wav"), 1):
        into_larder(studio, show, talk_file(name, seconds=3, seed=seed), "effects")
    second = studio.larder.search(show, "gulls").pieces[0][0].recording_id
    state = studio.larder.use(second, episode, 7 * RATE)
    again = studio.larder.use(second, episode, 20 * RATE, revision=state.revision)
    [track] = again.document.tracks
    assert (track.name, track.kind) == ("Call of gulls", "effects")
    assert [(c.start, c.length) for c in track.clips] == [(7 * RATE, 3 * RATE), (20 * RATE, 3 * RATE)]
    [own] = studio.recordings.of_episode(episode)
    assert {c.recording for c in track.clips} == {own.id} != {second}
    assert names(studio.larder.search(show)) == ["Call of gulls", "Bell"]


def test_the_room_tone_of_a_recording_is_kept_as_that_stretch_and_once(studio, episode, show, talk_file):
    recording = send(studio, episode, talk_file(seconds=12))
    wanted = {"kind": "room tone", "name": "Room, Marisol", "start": 2 * RATE, "length": 3 * RATE}
    piece = studio.larder.keep(recording.id, **wanted)
    studio.jobs.wait()
    assert studio.larder.keep(recording.id, **wanted) == piece
    state = studio.larder.use(piece, episode, 0)
    laid = state.document.tracks[-1]
    assert (laid.kind, laid.clips[0].source, laid.clips[0].length) == ("effects", 2 * RATE, 3 * RATE)
    with pytest.raises(EditRefused, match="does not lie"):
        studio.larder.keep(recording.id, kind="room tone", name="x", start=11 * RATE, length=3 * RATE)


def test_pieces_are_heard_about_equally_loud(studio, show, tmp_path):
    levels = []
    for dbfs in (-40, -12):
        soundfile.write(tmp_path / f"n{dbfs}.wav", noise(4, dbfs=dbfs), RATE)
        number = into_larder(studio, show, tmp_path / f"n{dbfs}.wav", "effects")
        heard = studio.recordings.sound(number, RATE, RATE)
        assert heard.shape == (RATE, 2)
        levels.append(20 * np.log10(heard.std()))
    assert levels[0] == pytest.approx(levels[1], abs=1.0)


def test_a_removed_piece_is_not_found_and_comes_back_with_its_file(studio, show, talk_file):
    path = talk_file("bell.wav", seconds=3)
    number = into_larder(studio, show, path, "effects")
    studio.larder.change(number, removed=True)
    assert studio.larder.search(show).total == 0
    assert into_larder(studio, show, path, "effects") == number
    assert studio.larder.search(show).total == 1
    with pytest.raises(NotFound):
        studio.larder.change(999, name="x")
    with pytest.raises(EditRefused, match="needs a name"):
        studio.larder.change(number, name="  ")


def test_a_file_without_sound_is_no_piece(studio, show, tmp_path):
    (tmp_path / "notes.wav").write_bytes(b"not sound")
    into_larder(studio, show, tmp_path / "notes.wav")
    assert studio.larder.search(show).total == 0


def test_two_thousand_pieces_are_all_searched(studio, show):
    shelf = studio.shows.shelf(show)
    with studio.larder._sessions.begin() as session:
        for number in range(2000):
            row = Recording(episode_id=shelf, name=f"{number}.wav", sha256="0" * 64, suffix=".wav", size=1, facts={})
            session.add(row)
            session.flush()
            session.add(Piece(recording_id=row.id, name=f"Piece {number}", kind="music", sought=f"piece {number} tide",
                              length=RATE, loudness_lufs=None, bpm=None, used=None))  # fmt: skip
    begun = time.perf_counter()
    found = studio.larder.search(show, "tide 19")
    print(f"search over 2000 pieces: {1000 * (time.perf_counter() - begun):.1f} ms")
    assert found.total == sum("19" in str(number) for number in range(2000))
    assert len(found.pieces) == 40


def test_files_are_called_as_a_person_would():
    assert [plain_name(n) for n in ("fog_signal.flac", "Theme.wav", ".wav")] == ["Fog signal", "Theme", ".wav"]


def test_the_next_episode_begins_as_the_last_one_was(demo, sample):
    [show] = demo.shows.all_shows()
    last = demo.shows.episodes(show.id)[0]
    document = demo.editing.state(last.id).document
    anders = next(track for track in document.tracks if track.name == "Anders Quill")
    demo.editing.edit(last.id, "set_recipe", {"track": anders.id, "recipe": {
        "low_cut_hz": 95.0, "body_db": -3.0, "presence_db": 1.0, "ratio": 3.0}})  # fmt: skip
    pattern = demo.patterns.make(last.id, "With a spot")
    demo.jobs.wait()
    assert [p.name for p in demo.patterns.of_show(show.id)] == ["With a spot"]
    assert {p.kind for p, _ in demo.larder.search(show.id).pieces} == {"music", "effects", "spot"}

    begun = demo.patterns.begin(pattern.id, "The Lock Keeper")
    assert begun.number == 13
    fresh = demo.editing.state(begun.id).document
    assert [t.name for t in fresh.tracks] == [t.name for t in document.tracks]
    seat = next(track for track in fresh.tracks if track.name == "Anders Quill")
    assert (seat.clips, seat.recipe.low_cut_hz) == ((), 95.0)
    music = next(track for track in fresh.tracks if track.name == "Music")
    assert [c.start for c in music.clips] == [round(25.4 * RATE)], "only what belongs to the beginning lies there yet"

    with pytest.raises(EditRefused, match="no talk"):
        demo.patterns.lay_ending(begun.id)
    demo.recordings.add_file(begun.id, sample[0] / "anders_local.wav")
    demo.jobs.wait()
    seated = demo.editing.state(begun.id).document
    assert len(seated.tracks) == len(fresh.tracks)
    assert seated.track(seat.id).clips[0].length > 300 * RATE
    listed = demo.recordings.of_episode(begun.id)
    assert [r.person for r in listed if r.name == "anders_local.wav"] == ["Anders Quill"]
    assert set(demo.checking_up.of_episode(begun.id)) == {r.id for r in listed}, "what was borrowed brings its check-up"

    ended = demo.patterns.lay_ending(begun.id).document
    outro = next(track for track in ended.tracks if track.name == "Music").clips[-1]
    before = next(track for track in document.tracks if track.name == "Music").clips[-1]
    assert ended.track(seat.id).clips[-1].end - outro.start == max(
        t.clips[-1].end for t in document.tracks if t.kind == "person") - before.start  # fmt: skip
    with pytest.raises(EditRefused, match="already"):
        demo.patterns.lay_ending(begun.id)
    demo.editing.undo(begun.id)
    assert demo.patterns.ending(begun.id)


def test_a_pattern_of_the_same_name_is_replaced_and_one_of_nothing_refused(studio, two_people):
    show = studio.shows.episode(two_people)[0].id
    first = studio.patterns.make(two_people, "Usual")
    assert studio.patterns.make(two_people, " Usual ").id == first.id
    studio.patterns.forget(first.id)
    assert studio.patterns.of_show(show) == []
    with pytest.raises(NotFound):
        studio.patterns.begin(first.id, "x")
    empty = studio.shows.make_episode(show, "Empty").id
    for number, name in ((empty, "Usual"), (two_people, "  ")):
        with pytest.raises(EditRefused, match="Nothing was kept"):
            studio.patterns.make(number, name)


def test_a_show_has_one_larder_whoever_asks_first(studio, episode, show):
    """Four at once used to make four."""
    shelves = []
    asking = [threading.Thread(target=lambda: shelves.append(studio.shows.shelf(show))) for _ in range(8)]
    for thread in asking:
        thread.start()
    for thread in asking:
        thread.join()
    assert len(shelves) == 8
    assert len(set(shelves)) == 1
