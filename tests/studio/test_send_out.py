"""Send out: sets of files, the last look, words for listeners, comparisons."""

import io

import mutagen
import numpy as np
import pytest
from PIL import Image

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound, PampaError, SignalError
from pampa.core.files import deliver_set
from pampa.core.sound import RATE
from pampa.studio.sending import Wanted, file_names
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

PODCAST = Wanted(Format("mp3"), Aim())


def picture(side=1500):
    out = io.BytesIO()
    Image.new("RGB", (side, side), "teal").save(out, "PNG")
    return out.getvalue()


def made(studio, episode, wanted):
    job = studio.sending.start(episode, wanted)
    studio.jobs.wait()
    return studio.jobs.told(job), studio.sending.of_episode(episode)


def test_a_set_is_made_and_each_file_has_a_name_of_its_own(studio, two_people):
    wanted = [PODCAST, Wanted(Format("mp3", kbit=96), Aim(-19.0), mono=True), Wanted(Format("m4a"), Aim(-14.0)),
              Wanted(Format("flac", rate=44_100), Aim(-23.0))]  # fmt: skip
    job, files = made(studio, two_people, wanted)
    assert job["state"] == "done"
    assert all(each.sheet["met"] for each in files)
    assert len({each.name for each in files}) == len(files) == 4
    assert {each.sheet["rate"] for each in files} == {48_000, 44_100}


def test_a_file_that_fails_is_told_and_the_others_stay(studio, two_people, monkeypatch):
    real = deliver_set.deliver

    def refuses(source, path, fmt, *args, **kwargs):
        if fmt.kind == "flac":
            raise SignalError("The disk is full: 10 MB more are needed.")
        return real(source, path, fmt, *args, **kwargs)

    monkeypatch.setattr(deliver_set, "deliver", refuses)
    job, files = made(studio, two_people, [PODCAST, Wanted(Format("flac"), Aim())])
    assert job["state"] == "failed"
    assert "flac was not made" in job["error"]
    assert "1 of 2 files" in job["error"]
    assert [each.name.rpartition(".")[2] for each in files] == ["mp3"]


def test_a_set_that_was_interrupted_makes_only_what_is_missing(studio, two_people):
    job, [first] = made(studio, two_people, [Wanted(Format("flac"), Aim()), Wanted(Format("wav", 16), Aim())][:1])
    with studio.jobs._sessions.begin() as session:
        from pampa.store.models import Delivery, Job

        row = session.get_one(Job, job["id"])
        told = row.parameters["files"]
        row.parameters = {**row.parameters, "files": [*told, {**told[0], "fmt": {**told[0]["fmt"], "kind": "wav"}}]}
        row.state = "running"
        session.get_one(Delivery, first.id).file = f"{job['id']}-0.flac"
    studio.close()
    again = Studio(Settings(data=studio.settings.data, workers=2))
    try:
        again.jobs.wait()
        assert sorted(each.name.rpartition(".")[2] for each in again.sending.of_episode(two_people)) == ["flac", "wav"]
    finally:
        again.close()


def test_names_tell_apart_what_is_alike(studio, two_people):
    tags = studio.about.tags(two_people, studio.editing.state(two_people).document)
    formats = [Wanted(Format("mp3", kbit=160, rate=48_000), Aim()), Wanted(Format("mp3", kbit=64, rate=48_000), Aim()),
               Wanted(Format("mp3", kbit=64, rate=44_100), Aim()), Wanted(Format("opus", kbit=96), Aim())]  # fmt: skip
    names = file_names(tags, formats)
    assert len(set(names)) == 4
    assert names[3] == "slack-water-12-the-pilot-ladder.opus"


def test_what_listeners_read_is_filled_in_and_written_into_the_file(studio, two_people):
    studio.editing.edit(two_people, "add_marker", {"at": 0, "name": "Start"})
    state = studio.editing.edit(two_people, "add_marker", {"at": 6 * RATE, "name": "The ladder"})
    marker = state.document.markers[1].id
    studio.editing.edit(two_people, "set_marker", {"marker": marker, "link": "https://slackwater.example/ladder"})
    studio.editing.edit(two_people, "add_marker", {"at": 7 * RATE, "name": ""})
    show, _ = studio.shows.episode(two_people)
    sha = studio.about.keep_artwork(picture())
    studio.about.change_show(show.id, artwork=sha, notes_pattern="# {title}\n\n{chapters}")
    studio.about.change_episode(two_people, season=2, link="https://slackwater.example/12", date="2026-11-23")
    seen = studio.about.seen(two_people)
    assert [chapter.title for chapter in seen.chapters] == ["Start", "The ladder"]
    assert "<h1>The Pilot Ladder</h1>" in seen.html
    _, [file] = made(studio, two_people, [PODCAST])
    tags = mutagen.File(studio.sending.file(file.id)[0]).tags
    assert [chapter.sub_frames["TIT2"].text[0] for chapter in tags.getall("CHAP")] == ["Start", "The ladder"]
    assert "– 0:06 The ladder" in tags.getall("COMM")[0].text[0]
    assert str(tags["TDRC"].text[0]) == "2026-11-23"
    assert Image.open(io.BytesIO(tags.getall("APIC")[0].data)).size == (1400, 1400)


def test_chapters_move_with_the_talk_and_can_be_kept_from_listeners(studio, two_people):
    state = studio.editing.edit(two_people, "add_marker", {"at": 6 * RATE, "name": "The ladder"})
    studio.editing.edit(two_people, "take_out", {"start": RATE, "stop": 3 * RATE})
    assert studio.about.seen(two_people).chapters[0].start_s == 4.0
    studio.editing.edit(two_people, "set_marker", {"marker": state.document.markers[0].id, "chapter": False})
    assert studio.about.seen(two_people).chapters == ()


def test_words_that_make_no_sense_are_refused(studio, two_people):
    with pytest.raises(EditRefused, match="https"):
        studio.about.change_episode(two_people, link="javascript:alert(1)")
    with pytest.raises(NotFound, match="picture"):
        studio.about.change_episode(two_people, artwork="0" * 64)
    with pytest.raises(SignalError, match="no picture"):
        studio.about.keep_artwork(b"%PDF-1.7")
    state = studio.editing.edit(two_people, "add_marker", {"at": 0, "name": "Start"})
    with pytest.raises(PampaError, match="https"):
        studio.editing.edit(two_people, "set_marker", {"marker": state.document.markers[0].id, "link": "file:///etc"})


def test_notes_of_its_own_take_the_place_of_the_pattern_until_asked(studio, two_people):
    studio.about.change_episode(two_people, notes="Just this.")
    assert studio.about.seen(two_people).text == "Just this."
    studio.about.change_episode(two_people, pattern_again=True)
    assert "The Pilot Ladder" in studio.about.seen(two_people).text


def looked(studio, episode):
    studio.last_look.begin(episode, [("Podcast, stereo", Aim())])
    studio.jobs.wait()
    return studio.last_look.last(episode)


def test_a_last_look_finds_what_is_missing_and_less_once_it_is_there(studio, two_people):
    first = looked(studio, two_people)
    told = {found.name: found.notes for found in first.found}
    assert any("artwork" in note.told for note in told["words"])
    assert first.revision == studio.editing.state(two_people).revision
    assert dict(first.figures)["integrated"].endswith("LUFS")
    show, _ = studio.shows.episode(two_people)
    studio.about.change_show(show.id, artwork=studio.about.keep_artwork(picture()))
    assert "words" not in {found.name for found in looked(studio, two_people).found}


def test_a_hole_and_a_late_chapter_are_found_at_their_places(studio, two_people):
    for track in studio.editing.state(two_people).document.linked_tracks():
        studio.editing.edit(two_people, "set_track", {"track": track.id, "treated": False})
    studio.editing.edit(two_people, "insert", {"name": "silence", "at": 5 * RATE, "length": RATE})
    studio.editing.edit(two_people, "add_marker", {"at": 60 * RATE, "name": "Late"})
    told = {found.name: found.notes for found in looked(studio, two_people).found}
    assert told["nothing-inside"][0].at_s == pytest.approx(5.0, abs=0.1)
    assert "after the end" in told["chapters"][0].told


def test_two_versions_are_compared_and_heard_at_one_loudness(studio, two_people):
    studio.versions.keep(two_people, "Approved")
    studio.editing.edit(two_people, "take_out", {"start": 2 * RATE, "stop": 4 * RATE})
    sides = dict(studio.comparing.sides(two_people))
    version = next(of for of in sides if of.startswith("version:"))
    studio.comparing.begin(two_people, version, "now")
    studio.jobs.wait()
    compared, waits = studio.comparing.last(two_people)
    assert not waits
    assert [each.told for each in compared.differences] == ["Taken out: 2.0 s"]
    assert (compared.here.seconds, compared.there.seconds) == (12.0, 10.0)
    here = studio.comparing.sound(two_people, version, 5 * RATE, RATE)
    there = studio.comparing.sound(two_people, "now", 3 * RATE, RATE)
    gain = np.sqrt(np.mean(here**2) / np.mean(there**2))
    assert 20 * np.log10(gain) == pytest.approx(compared.here.gain_db - compared.there.gain_db, abs=0.3)
    assert "Taken out: 2.0 s" in compared.report


def test_a_file_of_an_older_release_is_compared_by_its_sound(studio, two_people):
    _, [file] = made(studio, two_people, [Wanted(Format("flac", 16), Aim(-20.0))])
    with studio.jobs._sessions.begin() as session:
        from pampa.store.models import Delivery

        session.get_one(Delivery, file.id).document = None
    studio.comparing.begin(two_people, f"file:{file.id}", "now")
    studio.jobs.wait()
    compared, _ = studio.comparing.last(two_people)
    assert compared.stretches
    assert all(abs(each.here_s - each.there_s) < 0.005 for each in compared.stretches)


def test_what_cannot_be_compared_is_said(studio, two_people):
    with pytest.raises(EditRefused, match="one and the same"):
        studio.comparing.begin(two_people, "now", "now")
    with pytest.raises(NotFound):
        studio.comparing.begin(two_people, "now", "version:99")
    with pytest.raises(NotFound, match="not being compared"):
        studio.comparing.sound(two_people, "now", 0, RATE)


def test_nothing_is_made_of_no_files_and_no_rate_is_made_up(studio, two_people):
    with pytest.raises(EditRefused, match="No file is chosen"):
        studio.sending.start(two_people, [])
    with pytest.raises(EditRefused, match="no sample rate"):
        studio.sending.start(two_people, [Wanted(Format("opus", rate=44_100), Aim())])
