"""The catalogue of edits: limits hold in the core, and parameters of older versions are understood."""

import inspect
from dataclasses import fields, is_dataclass, replace

import pytest

from pampa.core.errors import EditRefused
from pampa.core.mend.amounts import Amounts
from pampa.core.timeline import codec
from pampa.core.timeline.edits import EDITS, apply, completed, describe, upcast
from pampa.core.timeline.limits import hints_of
from pampa.core.voice.recipe import Recipe
from tests.core.test_timeline import talk_document

TONE = {"low_cut_hz": 80, "body_db": 0, "presence_db": 0}


def frames(recording):
    return 10_000


@pytest.mark.parametrize(
    ("name", "parameters", "message"),
    [
        ("set_recipe", {"track": 1, "recipe": {**TONE, "ratio": 0}}, "recipe.ratio must be at least 1"),
        ("set_recipe", {"track": 1, **TONE}, "is not known here"),
        ("set_ducking", {"depth_db": float("nan")}, "depth_db must be a number"),
        ("set_ducking", {"depth_db": 41}, "at most 40"),
        ("take_out", {"start": 0, "stop": 10**30}, "stop must be at most"),
        ("take_out", {"start": 0, "stop": 1.5}, "whole number"),
        ("take_out", {"start": True, "stop": 5}, "whole number"),
        ("take_out", {"start": 0, "stop": 5, "more": 1}, "more is not known"),
        ("set_track", {"track": 1, "kind": "orchestra"}, "must be one of person"),
        ("set_track", {"track": 1, "name": "x" * 81}, "at most 80 long"),
        ("set_seam", {"seam": 1, "crossfade": -1}, "at least 0"),
        ("prune", {"name": "x", "cuts": []}, "at least 1 long"),
        ("prune", {"name": "x", "cuts": [{"start": -1, "stop": 5}]}, "cuts.0.start must be at least 0"),
        ("mend", {"name": "x", "recordings": [1], "amounts": {"hum": 101}}, "amounts.hum must be at most 100"),
        ("mend", {"name": "x", "recordings": [1], "amounts": {"spots": [{"start_s": -1}]}}, "spots.0.start_s"),
        ("mend", {"name": "x", "recordings": [1], "amounts": []}, "wrong form"),
        ("split", {"at": 5, "tracks": 3}, "must be a list"),
        ("unheard_of", {}, "knows no edit"),
    ],
)  # fmt: skip
def test_what_is_beyond_its_limits_is_refused_in_the_core(name, parameters, message):
    with pytest.raises(EditRefused, match=message):
        completed(talk_document(), name, parameters, frames)


def test_what_an_edit_needs_of_recordings_is_added_for_good():
    clip = talk_document().tracks[0].clips[0].id
    assert completed(talk_document(), "slip", {"clip": clip, "by": 5}, frames)["frames"] == 10_000
    assert completed(talk_document(), "nudge", {"track": 2, "by": 5}, frames)["frames"] == [[2, 10_000]]


def test_the_words_of_the_history_do_not_reach_the_edit():
    cuts = [{"start": 1000, "stop": 2000}]
    assert apply(talk_document(), "prune", {"name": "a silence", "cuts": cuts}) == apply(
        talk_document(), "prune", {"cuts": cuts}
    )
    assert describe("prune", {"name": "a silence", "cuts": cuts}) == "Pruned a silence"


def test_parameters_of_an_older_version_are_brought_up_step_by_step(monkeypatch):
    renamed = replace(
        EDITS["take_out"], version=3,
        upcasts={1: lambda told: {"start": told["from"], "end": told["to"]},
                 2: lambda told: {"start": told["start"], "stop": told["end"]}},
    )  # fmt: skip
    monkeypatch.setitem(EDITS, "take_out", renamed)
    today = apply(talk_document(), "take_out", {"start": 2000, "stop": 3000})
    assert apply(talk_document(), "take_out", {"from": 2000, "to": 3000}, version=1) == today
    assert apply(talk_document(), "take_out", {"start": 2000, "end": 3000}, version=2) == today
    assert upcast(renamed, {"start": 1, "stop": 2}, None) == {"start": 1, "stop": 2}
    thin = apply(talk_document(), "set_recipe", {"track": 1, **TONE, "ratio": 2.0}, version=1)
    assert thin.track(1).recipe == Recipe(80, 0, 0, 2.0)


@pytest.mark.parametrize("edit", EDITS.values(), ids=lambda edit: edit.name)
def test_every_edit_is_described_whole(edit):
    """Its parameters are those of its function and its words, and every older version has a way up."""
    taken = {name for name in inspect.signature(edit.make).parameters if name != "document"}
    told = {field.name for field in fields(edit.told)}
    added = ({"frames", "under_lu"} & taken) if edit.completes else set()
    assert is_dataclass(edit.told)
    assert told | added == taken | set(edit.words)
    assert not taken & set(edit.words)
    assert set(hints_of(edit.told)) == told
    assert set(edit.upcasts) == set(range(1, edit.version))
    assert edit.sentence


def test_a_document_of_an_older_form_is_brought_up_step_by_step(monkeypatch):
    """Snapshots, versions and cuts are kept for ever; those of release 0.1.0 have no form."""
    document = talk_document()
    today = codec.encode(document)
    assert codec.decode({name: value for name, value in today.items() if name != "form"}) == document
    now = codec.FORM
    monkeypatch.setattr(codec, "FORM", now + 2)
    monkeypatch.setitem(codec.UPCASTS, now, lambda told: {**told, "seams": told.pop("joins")})
    monkeypatch.setitem(codec.UPCASTS, now + 1, lambda told: {**told, "tracks": told.pop("lanes")})
    old = {"joins" if name == "seams" else "lanes" if name == "tracks" else name: today[name] for name in today}
    assert codec.decode({**old, "form": now}) == document
    assert codec.encode(document)["form"] == now + 2


def test_a_sharp_s_that_was_softened_by_mend_is_softened_by_the_recipe_now():
    """Of a document of the second form, and of an edit of the first version: wherever the recording lies."""
    document = talk_document()
    number = document.tracks[0].clips[0].recording
    there = [any(clip.recording == number for clip in track.clips) for track in document.tracks]
    plain = codec.encode(apply(document, "mend", {"name": "x", "recordings": [number], "amounts": {"hum": 50.0}}))
    plain["mendings"][0]["amounts"]["sibilance"] = 40.0
    amounts = {"hum": 50.0, "sibilance": 40.0}
    by_edit = apply(document, "mend", {"name": "x", "recordings": [number], "amounts": amounts}, version=1)
    for got in (codec.decode({**plain, "form": 2}), by_edit):
        assert [track.recipe.sibilance for track in got.tracks] == [40.0 if lies else 0.0 for lies in there]
        assert got.amounts(number) == Amounts(hum=50.0)
