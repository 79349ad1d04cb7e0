"""Voices of an episode: nearer, spectra, curves, single peaks, what a stage takes, recipes, and episodes before."""

import json
from dataclasses import asdict, replace

import numpy as np
import pytest

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound, PampaError
from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE
from pampa.core.voice.recipe import UNTREATED, Recipe
from pampa.core.voice.starts import STARTS
from pampa.studio.sending import Wanted
from pampa.studio.voice_curves import COLUMNS, RESTING, ROWS
from tests.conftest import write_talk


def tracks_of(studio, episode):
    return studio.editing.state(episode).document.tracks


def another_episode(studio, tmp_path, person="Anders Quill"):
    """A further episode of the show, with one person in it."""
    show, _ = studio.shows.episode(1)
    episode = studio.shows.make_episode(show.id, "The Second Lock", 13).id
    studio.recordings.add_file(episode, write_talk(tmp_path / "again.wav", 12, seed=5), person=person)
    studio.jobs.wait()
    return episode


def test_nearer_sets_a_voice_in_one_edit_and_is_undone(studio, two_people):
    before = tracks_of(studio, two_people)[1].recipe
    state = studio.voices.bring_nearer(two_people, tracks_of(studio, two_people)[1].id, 60)
    recipe = state.document.tracks[1].recipe
    assert (recipe.nearer, recipe.bands, recipe.level) == (60, 36, before.level)
    assert studio.editing.undo(two_people).document.tracks[1].recipe == before


def test_a_spectrum_tells_before_and_after_and_what_to_compare_with(studio, two_people):
    track = tracks_of(studio, two_people)[0]
    recipe = replace(UNTREATED, presence_db=6.0, presence_hz=2000.0)
    studio.editing.edit(two_people, "set_recipe", {"track": track.id, "recipe": asdict(recipe)})
    told = studio.voices.spectrum(two_people, track.id)
    hz, gained = np.array(told.hz), np.array(told.after) - np.array(told.before)
    assert {len(getattr(told, name)) for name in ("hz", "before", "after", "room", "common")} == {hz.size}
    assert 4 < gained[(hz > 4000) & (hz < 8000)].mean() - gained[(hz > 200) & (hz < 800)].mean() < 8


def test_curves_tell_loudness_and_what_is_taken_in_tenths_of_a_second(studio, two_people):
    track = tracks_of(studio, two_people)[0]
    recording = track.clips[0].recording
    told = np.frombuffer(studio.voice_curves.tile(two_people, track.id, recording, 0), np.uint8).reshape(-1, COLUMNS)
    rows = dict(zip(ROWS, told, strict=True))
    spoken = rows["before"][:110] > 4 * (70 - 40)
    assert abs(np.median(rows["after"][:110][spoken]) / 4 - 70 + 21) < 3
    assert rows["compressor"].max() > 4
    assert set(rows["level"]) == {RESTING}
    assert not rows["after"][130:].any()
    assert studio.voice_curves.tile(two_people, track.id, recording, 0) == told.tobytes()


def test_what_a_stage_takes_is_heard_alone_at_its_true_level(studio, two_people):
    """Of one voice, the compressor: what is heard without it less what is heard with it, but for the common gain."""
    track = tracks_of(studio, two_people)[0]
    quiet = {"start": 2 * RATE, "frames": RATE}
    taken = studio.listening.sound(two_people, taken=(track.id, "compressor"), **quiet).sound
    alone = studio.listening.sound(two_people, only=frozenset([track.id]), **quiet).sound
    assert 0 < np.abs(taken).max() < np.abs(alone).max()
    for stage in ("warmth", "nonsense"):
        with pytest.raises(EditRefused, match="off"):
            studio.listening.sound(two_people, taken=(track.id, stage), **quiet)


def test_a_recipe_is_heard_instead_as_loud_as_the_other(studio, two_people):
    track = tracks_of(studio, two_people)[0]
    one = {"start": 0, "frames": 10 * RATE, "only": frozenset([track.id])}
    now, other = (studio.listening.sound(two_people, instead=instead, **one).sound
                  for instead in (None, {track.id: STARTS["thin call"]}))  # fmt: skip
    assert not np.array_equal(now, other)
    assert abs(20 * np.log10(np.std(now) / np.std(other))) < 1.5
    assert tracks_of(studio, two_people)[0].recipe == Recipe()


def test_a_recipe_is_kept_whole_applied_in_part_and_written_to_a_file(studio, two_people):
    first, second = tracks_of(studio, two_people)
    number = first.clips[0].recording
    studio.editing.edit(two_people, "mend", {"name": "x", "recordings": [number], "amounts": asdict(Amounts(hum=40.0))})
    recipe = Recipe(level=80, sibilance=60, ratio=3.0)
    studio.editing.edit(two_people, "set_recipe", {"track": first.id, "recipe": asdict(recipe)})
    kept = studio.recipes.keep_of_track(two_people, first.id, "Hut")
    part = studio.recipes.apply(two_people, kept.id, [second.id], parts=["sibilance"]).document
    assert part.tracks[1].recipe == Recipe(sibilance=60)
    assert part.mendings[0].recording == number
    assert len(part.mendings) == 1
    whole = studio.recipes.apply(two_people, kept.id, [first.id, second.id]).document
    assert [track.recipe for track in whole.tracks] == [recipe, recipe]
    assert [whole.amounts(track.clips[0].recording).hum for track in whole.tracks] == [40, 40]
    text, name = studio.recipes.file(kept.id)
    assert name == "Hut"
    studio.recipes.forget(kept.id)
    again = studio.recipes.keep_file(two_people, text, "Hut.json")
    assert (again.name, again.person, again.voice) == ("Hut", first.name, asdict(recipe))
    with pytest.raises(PampaError, match="not a recipe"):
        studio.recipes.keep_file(two_people, json.dumps([1]), "x.json")
    with pytest.raises(NotFound):
        studio.recipes.apply(two_people, kept.id + 99, [first.id])
    start = studio.recipes.start(two_people, "sharp", [first.id], parts=["sibilance"]).document.tracks[0].recipe
    assert start == replace(recipe, sibilance=STARTS["sharp"].sibilance)
    boomy = studio.recipes.start(two_people, "boomy", [first.id]).document.tracks[0].recipe
    assert boomy == replace(STARTS["boomy"], level=recipe.level)


def test_last_times_treatment_is_proposed_and_a_voice_is_made_as_it_was_when_it_went_out(studio, two_people, tmp_path):
    anders = tracks_of(studio, two_people)[1]
    recipe = replace(UNTREATED, presence_db=5.0, presence_hz=2500.0, level=100.0)
    studio.editing.edit(two_people, "set_recipe", {"track": anders.id, "recipe": asdict(recipe)})
    studio.editing.edit(two_people, "set_track", {"track": anders.id, "gain_db": 1.5})
    studio.sending.start(two_people, [Wanted(Format("flac", 16), Aim(-19.0, -1.0), mono=True)])
    studio.jobs.wait()
    later = another_episode(studio, tmp_path)
    track = tracks_of(studio, later)[0]
    last = studio.recipes.last_time(later, "Anders Quill")
    assert (last.episode, last.voice) == ("The Pilot Ladder", recipe)
    then = studio.likenesses.of_person(later, "Anders Quill")
    assert [(each.episode, each.heard.gain_db) for each in then] == [("The Pilot Ladder", 1.5)]
    assert abs(then[0].heard.speech_lufs + 21 - 1.5) < 1
    plain = replace(UNTREATED, level=100.0)
    studio.editing.edit(later, "set_recipe", {"track": track.id, "recipe": asdict(plain)})
    made = studio.likenesses.make_alike(later, track.id, then[0].id).document.tracks[0]
    assert made.gain_db == 1.5
    assert 0 < made.recipe.presence_db <= 3
    took = studio.recipes.as_last_time(later, track.id).document.tracks[0]
    assert took.recipe == recipe
    assert studio.recipes.last_time(later, "Nobody") is None
    with pytest.raises(NotFound):
        studio.likenesses.make_alike(later, track.id, 999)


def test_a_single_peak_is_told_lowered_and_left(studio, episode, tmp_path):
    import soundfile

    path = write_talk(tmp_path / "m.wav", 40, seed=3)
    sound, rate = soundfile.read(path)
    at = int(np.argmax(np.abs(sound[: 12 * rate])))
    sound[at - 3000 : at + 3000] *= 1 + 3 * np.hanning(6000)
    soundfile.write(path, np.clip(sound, -1, 1), rate, subtype="FLOAT")
    studio.recordings.add_file(episode, path, person="Marisol Vey")
    studio.jobs.wait()
    peak = next(p for p in studio.voices.peaks(episode) if abs(p.place - at) < RATE / 5)
    assert (peak.state, peak.lower_db > 4) == ("open", True)
    spot = {"start_s": peak.start_s, "stop_s": peak.stop_s, "how": "lower", "db": peak.lower_db}
    told = {"name": "x", "recordings": [peak.recording], "amounts": {"spots": [spot]}}
    studio.editing.edit(episode, "mend", told)
    assert [p.state for p in studio.voices.peaks(episode) if p.place == peak.place] == ["lowered"]
    studio.editing.undo(episode)
    find = {"kind": "peak", "recording": peak.recording, "start": peak.start, "stop": peak.stop}
    studio.editing.edit(episode, "leave", {"name": "a peak", "finds": [find]})
    assert [p.state for p in studio.voices.peaks(episode) if p.place == peak.place] == ["left"]
