"""An episode laid up, freed and brought back, here and in another data folder: nothing of it is lost."""

import json
import zipfile

import numpy as np
import pytest

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound
from pampa.core.files.archive import MANIFEST, NoArchive, opened_archive
from pampa.core.sound import RATE
from pampa.core.timeline.codec import encode
from pampa.studio.sending import Wanted
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio


@pytest.fixture
def edited(studio, two_people):
    """An episode with a cut, a version, a named marker, a delivered file, notes, and a piece in the larder."""
    studio.editing.edit(two_people, "take_out", {"start": 2 * RATE, "stop": 4 * RATE})
    studio.editing.edit(two_people, "add_marker", {"at": RATE, "name": "The ladder"})
    studio.versions.keep(two_people, "Approved")
    studio.editing.edit(two_people, "take_out", {"start": 5 * RATE, "stop": 6 * RATE})
    studio.about.change_episode(two_people, notes="With *Anders*.", season=2)
    first = studio.recordings.of_episode(two_people)[0]
    studio.larder.keep(first.id, kind="effects", name="Marisol, alone", tags="voice", start=0, length=RATE)
    studio.sending.start(two_people, [Wanted(Format("flac", 16), Aim(-20.0))])
    studio.jobs.wait()
    return two_people


def laid_up(studio, episode, *, free=False):
    job = studio.laying_up.begin(episode, free=free)
    studio.jobs.wait()
    return studio.jobs.told(job), studio.laying_up.all()


def without_numbers(document):
    """A document as plain data, its recordings told by their order."""
    text = json.dumps(encode(document))
    return json.loads(text, object_hook=lambda each: {k: v for k, v in each.items() if k != "recording"})


def heard(studio, episode):
    return studio.listening.sound(episode, start=RATE, frames=3 * RATE).sound


def test_it_comes_back_as_it_was_with_its_versions_words_and_files(studio, edited, tmp_path):
    before, sound = studio.editing.state(edited).document, heard(studio, edited)
    job, [archive] = laid_up(studio, edited, free=True)
    assert job["state"] == "done"
    assert (archive.show, archive.title, archive.number) == ("Slack Water", "The Pilot Ladder", 12)
    with pytest.raises(NotFound):
        studio.shows.episode(edited)
    assert not list((studio.settings.data / "deliveries" / str(edited)).glob("*"))
    back = studio.bringing_back.bring_back(studio.laying_up.path(archive.name))
    assert without_numbers(studio.editing.state(back.id).document) == without_numbers(before)
    assert studio.editing.state(back.id).undo is None
    assert np.array_equal(heard(studio, back.id), sound)
    assert [version.name for version in studio.versions.of_episode(back.id)] == ["Approved"]
    assert studio.about.of_episode(back.id).notes == "With *Anders*."
    [delivery] = studio.sending.of_episode(back.id)
    path, _ = studio.sending.file(delivery.id)
    assert path.stat().st_size == delivery.sheet["size_bytes"]
    studio.versions.restore(studio.versions.of_episode(back.id)[0].id)
    assert len(studio.editing.state(back.id).document.seams) == 1


def test_another_pampa_takes_it_in_whole(studio, edited, tmp_path):
    _, [archive] = laid_up(studio, edited)
    other = Studio(Settings(data=tmp_path / "other", workers=2))
    try:
        other.shows.make_show("High Water")  # so that no number is the same by chance
        back = other.bringing_back.bring_back(studio.laying_up.path(archive.name))
        show, _ = other.shows.episode(back.id)
        assert show.name == "Slack Water"
        assert np.array_equal(heard(other, back.id), heard(studio, edited))
        assert [piece.name for piece, _ in other.larder.search(show.id, "alone").pieces] == ["Marisol, alone"]
        again = other.bringing_back.bring_back(studio.laying_up.path(archive.name))
        assert again.show_id == show.id
        assert other.larder.search(show.id, "alone").total == 1
    finally:
        other.close()


def test_what_is_in_it_can_be_read_by_anything(studio, edited):
    _, [archive] = laid_up(studio, edited)
    with zipfile.ZipFile(studio.laying_up.path(archive.name)) as packed:
        assert packed.testzip() is None
        names = packed.namelist()
        told = json.loads(packed.read(MANIFEST))
    assert {"document.json", "cut.otio", MANIFEST} <= set(names)
    assert sum(name.startswith("originals/") for name in names) == 2
    assert told["deliveries"][0]["sheet"]["met"]
    assert told["kind"] == "laid-up episode"


def test_an_original_that_is_missing_is_named_and_nothing_is_freed(studio, edited):
    lost = studio.recordings.of_episode(edited)[0]
    studio.media.original(lost.sha256, lost.suffix).unlink()
    job, [archive] = laid_up(studio, edited, free=True)
    assert job["state"] == "failed"
    assert lost.name in job["error"]
    assert archive.missing == [lost.name]
    assert studio.shows.episode(edited)
    back = studio.bringing_back.bring_back(studio.laying_up.path(archive.name))
    assert [row.name for row in studio.recordings.of_episode(back.id)] != []
    assert lost.name not in [row.name for row in studio.recordings.of_episode(back.id)]


@pytest.mark.parametrize("spoil", ["cut short", "a byte", "no manifest", "another"])
def test_a_damaged_archive_is_told_and_nothing_comes_of_it(studio, edited, spoil):
    _, [archive] = laid_up(studio, edited)
    path = studio.laying_up.path(archive.name)
    data = bytearray(path.read_bytes())
    if spoil == "cut short":
        path.write_bytes(data[: len(data) // 2])
    elif spoil == "a byte":
        data[3000] ^= 0xFF
        path.write_bytes(data)
        for file in (studio.settings.data / "originals").rglob("*.wav"):
            file.unlink()  # else nothing would have to be read
    elif spoil == "no manifest":
        with zipfile.ZipFile(path, "w") as packed:
            packed.writestr("a.txt", "a")
    else:
        with zipfile.ZipFile(path, "w") as packed:
            packed.writestr(MANIFEST, json.dumps({"kind": "laid-up episode", "version": 1, "files": {}}))
    before = len(studio.shows.episodes(1))
    with pytest.raises(NoArchive, match="Nothing was changed"):
        studio.bringing_back.bring_back(path)
    assert len(studio.shows.episodes(1)) == before


def test_a_name_inside_that_leads_elsewhere_leads_nowhere(studio, edited, tmp_path):
    _, [archive] = laid_up(studio, edited)
    path = studio.laying_up.path(archive.name)
    with opened_archive(path) as opened:
        told = opened.told
    evil = tmp_path / "evil.zip"
    with zipfile.ZipFile(evil, "w") as packed:
        told["files"]["originals/../../../outside"] = "0" * 64
        packed.writestr("originals/../../../outside", "x")
        packed.writestr(MANIFEST, json.dumps(told))
    with pytest.raises(NoArchive):
        studio.bringing_back.bring_back(evil)
    assert not (tmp_path / "outside").exists()


def test_a_file_that_went_out_is_never_one_from_elsewhere(studio, edited, tmp_path):
    _, [archive] = laid_up(studio, edited)
    path = studio.laying_up.path(archive.name)
    evil = tmp_path / "evil.zip"
    with zipfile.ZipFile(path) as packed, zipfile.ZipFile(evil, "w") as out:
        told = json.loads(packed.read(MANIFEST))
        told["deliveries"][0]["file"] = "../../pampa.db"
        for name in told["files"]:
            out.writestr(name, packed.read(name))
        out.writestr(MANIFEST, json.dumps(told))
    back = studio.bringing_back.bring_back(evil)
    with pytest.raises(NotFound):
        studio.sending.file(studio.sending.of_episode(back.id)[0].id)


def test_an_archive_is_sent_in_pieces_and_only_kept_if_it_is_one(studio, edited):
    _, [archive] = laid_up(studio, edited)
    data = studio.laying_up.path(archive.name).read_bytes()
    studio.laying_up.let_go(archive.name)
    half = len(data) // 2
    assert studio.laying_up.receive("../from elsewhere.zip", 0, data[:half], last=False) == half
    with pytest.raises(EditRefused, match="Send it again"):
        studio.laying_up.receive("../from elsewhere.zip", half + 1, data[half:], last=True)
    studio.laying_up.receive("../from elsewhere.zip", half, data[half:], last=True)
    assert [each.name for each in studio.laying_up.all()] == ["from-elsewhere.zip"]
    with pytest.raises(NoArchive):
        studio.laying_up.receive("notes.zip", 0, b"no archive", last=True)
    assert len(list((studio.settings.data / "laid-up").iterdir())) == 1


def test_room_is_told_by_episode_and_caches_are_emptied(studio, edited):
    heard(studio, edited)
    taken = studio.space.taken()
    [mine] = [each for each in taken.episodes if each.episode == edited]
    assert mine.originals > 1_000_000
    assert mine.working > mine.originals
    assert mine.files > 0
    assert taken.caches > 0
    assert studio.space.empty_caches() == taken.caches
    assert studio.space.taken().caches == 0
    assert heard(studio, edited).any()
