"""The catalogue of edits: what each is told, what it does, and the sentence that tells of it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.timeline import (
    arranging,
    bars,
    cutting,
    inserting,
    laying,
    lining,
    mending,
    mixing,
    openings,
    pruning,
    seams,
    turns,
    versions,
)
from pampa.core.timeline import mixing_parameters as mixed
from pampa.core.timeline import parameters as told
from pampa.core.timeline.codec import without_sibilance
from pampa.core.timeline.document import Document, Under
from pampa.core.timeline.limits import hold

Parameters = dict[str, Any]
Lengths = Callable[[int], int]
"""Tells the length of a recording, in the episode's frames."""
Completion = Callable[[Document, Mapping[str, Any], Lengths], Parameters]
"""What an edit needs to know of the recordings, so that it can be made again without them."""


@dataclass(frozen=True)
class Edit:
    """One kind of edit.

    make : document and parameters to document. told : the class of its parameters, with their limits.
    sentence : for the history. words : parameters that only the sentence needs. completes : what the studio adds.
    by_page : a page may send it as it is; others are made by the studio alone.
    version : of its parameters. Whoever renames or changes one raises it and adds to `upcasts`, by the version that
    it leads away from: journals are replayed for ever.
    """

    make: Callable[..., Document]
    told: type
    sentence: str
    words: tuple[str, ...] = ()
    completes: Completion | None = None
    by_page: bool = True
    version: int = 1
    upcasts: Mapping[int, Callable[[Parameters], Parameters]] = field(default_factory=dict)

    @property
    def name(self) -> str:
        return self.make.__name__


def _frames_of_clip(document: Document, given: Mapping[str, Any], frames: Lengths) -> Parameters:
    return {"frames": frames(document.find_clip(given["clip"])[1].recording)}


def _frames_of_track(document: Document, given: Mapping[str, Any], frames: Lengths) -> Parameters:
    used = sorted({clip.recording for clip in document.track(given["track"]).clips})
    return {"frames": [[recording, frames(recording)] for recording in used]}


def _under_talk(document: Document, given: Mapping[str, Any], frames: Lengths) -> Parameters:
    """Music and effects that come in lie a distance under the talk; those of older journals have their depth."""
    return {"under_lu": Under().lu}


def _mend_without_sibilance(old: Parameters) -> Parameters:
    return {**old, "amounts": without_sibilance(old["amounts"]), "sibilance": old["amounts"].get("sibilance")}


NAME = ("name",)

EDITS: Mapping[str, Edit] = {
    edit.name: edit
    for edit in (
        Edit(cutting.take_out, told.TakeOut, "Took out {length} at {place}"),
        Edit(cutting.clear, told.Clear, "Left room tone for {length} at {place}"),
        Edit(cutting.put_back, told.OnSeam, "Put a seam back"),
        Edit(seams.drag_seam, told.DragSeam, "Dragged the side of a seam"),
        Edit(seams.set_seam, told.SetSeam, "Changed how a join crosses over"),
        Edit(inserting.insert, told.Insert, "Put in {name} at {place}", words=NAME),
        Edit(inserting.carry, told.Carry, "Carried {length} to {to}"),
        Edit(inserting.drop_spot, told.DropSpot, "Dropped in {name} at {place}"),
        Edit(inserting.lift_spot, told.OnClip, "Took a spot out again"),
        Edit(turns.slide, told.Slide, "Moved what one person says at {place}"),
        Edit(versions.restore, told.Restore, "Went back to {name}", words=NAME, by_page=False),
        Edit(arranging.split, told.Split, "Split at {place}"),
        Edit(arranging.join, told.AtPlace, "Joined at {place}"),
        Edit(arranging.slip, told.Slip, "Slipped the sound of a piece", completes=_frames_of_clip),
        Edit(arranging.move, told.Move, "Moved a piece to {place}"),
        Edit(arranging.trim, told.Trim, "Trimmed a piece", completes=_frames_of_clip),
        Edit(arranging.set_clip, told.SetClip, "Changed a piece's gain, fades or muting"),
        Edit(arranging.remove_clip, told.OnClip, "Removed a piece"),
        Edit(arranging.add_clip, told.AddClip, "Added a piece at {place}"),
        Edit(arranging.bring_in, told.BringIn, "Brought in {name}", by_page=False, completes=_under_talk),
        Edit(arranging.add_track, told.AddTrack, "Added the track {name}", completes=_under_talk),
        Edit(arranging.remove_track, told.OnTrack, "Removed a track"),
        Edit(arranging.set_track, told.SetTrack, "Changed a track"),
        Edit(
            arranging.set_recipe,
            told.SetRecipe,
            "Changed a recipe",
            version=2,
            upcasts={1: lambda old: {"track": old.pop("track"), "recipe": old}},
        ),
        Edit(arranging.set_ducking, mixed.SetDucking, "Changed the ducking"),
        Edit(mixing.set_envelope, mixed.SetEnvelope, "Changed the envelope of a piece"),
        Edit(mixing.set_send, mixed.SetSend, "Changed what a track is sent to"),
        Edit(mixing.send_clip, mixed.SendClip, "Changed what a piece is sent to"),
        Edit(mixing.set_bus, mixed.SetBus, "Changed a bus"),
        Edit(mixing.special_track, mixed.SpecialTrack, "Changed the special voice of a track"),
        Edit(mixing.special_stretch, mixed.SpecialStretch, "Changed the special voice of {length} at {place}"),
        Edit(mixing.set_under, mixed.SetUnder, "Changed how far music lies under the talk"),
        Edit(mixing.ride, mixed.Ride, "Changed the level of {length} at {place}"),
        Edit(lining.nudge, told.Nudge, "Nudged a track", completes=_frames_of_track),
        Edit(lining.line_up, told.LineUp, "Lined up {name}", words=NAME, by_page=False),
        Edit(laying.lay, told.Lay, "Laid {name}", completes=_under_talk),
        Edit(laying.in_sequence, told.InSequence, "Joined recordings in sequence", by_page=False),
        Edit(laying.take_seat, told.TakeSeat, "Put sound on a waiting track", by_page=False),
        Edit(laying.begin, told.Begin, "Began from the pattern {name}", by_page=False),
        Edit(
            mending.mend,
            told.Mend,
            "Mended {name}",
            words=NAME,
            version=2,
            upcasts={1: _mend_without_sibilance},
        ),
        Edit(mending.apply_recipe, told.ApplyRecipe, "Treated by {name}", words=NAME, by_page=False),
        Edit(bars.repeat_part, mixed.PartOfClip, "Repeated {length} of a piece at {place}"),
        Edit(bars.leave_out_part, mixed.PartOfClip, "Left {length} of a piece out at {place}"),
        Edit(openings.open_with, mixed.OpenWith, "Opened with {name}", by_page=False),
        Edit(openings.end_with, mixed.EndWith, "Ended with {name}", by_page=False),
        Edit(openings.sting_at, mixed.StingAt, "Set {name} at {place}", by_page=False),
        Edit(openings.bed_under, mixed.BedUnder, "Laid {name} under {length} at {place}", by_page=False),
        Edit(pruning.prune, told.Prune, "Pruned {name}", words=NAME),
        Edit(pruning.leave, told.AboutFinds, "Left {name}", words=NAME),
        Edit(pruning.reopen, told.AboutFinds, "Asked again about {name}", words=NAME),
        Edit(pruning.mark_find, told.AboutFinds, "Marked {name} as a find", words=NAME),
        Edit(pruning.drop_find, told.AboutFinds, "Forgot {name} as a find", words=NAME),
        Edit(arranging.add_marker, told.AddMarker, "Marked {place}"),
        Edit(arranging.add_markers, told.AddMarkers, "Brought in markers from {name}", words=NAME, by_page=False),
        Edit(arranging.set_marker, told.SetMarker, "Changed a marker"),
        Edit(arranging.remove_marker, told.OnMarker, "Removed a marker"),
    )
}


def edit_called(name: str) -> Edit:
    """An edit by its name. Raises EditRefused where there is none."""
    if name not in EDITS:
        raise EditRefused(f"Pampa knows no edit called {name}. Nothing was changed.")
    return EDITS[name]


def completed(document: Document, name: str, parameters: Mapping[str, Any], frames: Lengths) -> Parameters:
    """Parameters as they go into the journal: held to their limits, and with what the edit needs to know besides.

    Raises EditRefused where one is unknown, missing, or beyond its limits.
    """
    edit = edit_called(name)
    hold(edit.told, parameters)
    return {**parameters, **(edit.completes(document, parameters, frames) if edit.completes else {})}


def apply(document: Document, name: str, parameters: Mapping[str, Any], *, version: int | None = None) -> Document:
    """The document after an edit. Raises EditRefused or NotFound, and then nothing has changed.

    version : of the parameters, as they stand in a journal; None for today's.
    """
    edit = edit_called(name)
    given = upcast(edit, dict(parameters), version)
    return edit.make(document, **{name: value for name, value in given.items() if name not in edit.words})


def upcast(edit: Edit, parameters: Parameters, version: int | None) -> Parameters:
    """Parameters of an older version as they would be told today."""
    for old in range(version or edit.version, edit.version):
        parameters = edit.upcasts[old](parameters)
    return parameters


def describe(name: str, parameters: Mapping[str, Any]) -> str:
    """What an edit did, in a few words, for the history."""
    start, stop = parameters.get("start", parameters.get("at", 0)), parameters.get("stop", 0)
    return EDITS[name].sentence.format(
        length=f"{abs(stop - start) / RATE:.1f} s",
        place=clock(min(start, stop or start)),
        to=clock(parameters.get("to", 0)),
        name=parameters.get("name", ""),
    )


def clock(frames: int) -> str:
    """A place as 0:04:20.3."""
    tenths = round(frames / RATE * 10)
    return f"{tenths // 36000}:{tenths // 600 % 60:02d}:{tenths // 10 % 60:02d}.{tenths % 10}"
