"""Edits that lay recordings and pieces onto tracks: at places, in sequence, or all that a pattern begins with."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.timeline.arranging import add_track
from pampa.core.timeline.codec import clip_of
from pampa.core.timeline.document import Clip, Document, Kind, Track, Under, check, next_id
from pampa.core.voice.recipe import Recipe


def lay(document: Document, *, name: str, kind: Kind, pieces: Sequence[Mapping[str, Any]], track: int | None = None,
        instead_of: int | None = None, under_lu: float | None = None) -> Document:  # fmt: skip
    """Put pieces at their places, each on the first track of its kind with room there, else on a new one.

    pieces : what a Clip holds but its number, and maybe `name` and `kind` of its own. track : tried first.
    instead_of : a clip that goes in the same moment, as an earlier take does.
    """
    if instead_of is not None:
        home, _ = document.find_clip(instead_of)
        document = document.with_track(replace(home, clips=tuple(c for c in home.clips if c.id != instead_of)))
    for told in pieces:
        rest = dict(told)
        its_name, its_kind = rest.pop("name", name), rest.pop("kind", kind)
        clip = clip_of({"id": 0, **rest})
        free = _with_room(document, clip, its_kind, track)
        if free is None:
            document = add_track(document, name=its_name, kind=its_kind, under_lu=under_lu)
            free = document.tracks[-1]
        clip = replace(clip, id=next_id(document))
        document = document.with_track(replace(free, clips=tuple(sorted([*free.clips, clip], key=lambda c: c.start))))
    return check(document)


def _with_room(document: Document, clip: Clip, kind: Kind, first: int | None) -> Track | None:
    wanted = [document.track(first)] if first is not None else []
    # Nothing is laid onto a person's track unasked, even where that person is silent.
    if kind not in ("person", "spot"):
        wanted += [track for track in document.tracks if track.kind == kind]
    for track in wanted:
        if all(other.end <= clip.start or other.start >= clip.end for other in track.clips):
            return track
    return None


def free_track(document: Document, clip: Clip, kind: Kind, name: str, *, under_lu: float) -> tuple[Document, Track]:
    """A track of a kind with room for a clip that lies just so far under the talk, made where there is none."""
    for track in document.tracks:
        alike = track.kind == kind and track.under is not None and track.under.lu == under_lu
        if alike and all(other.end <= clip.start or other.start >= clip.end for other in track.clips):
            return document, track
    made = add_track(document, name=name, kind=kind, under_lu=under_lu)
    return made, made.tracks[-1]


def in_sequence(document: Document, *, recordings: Sequence[Sequence[int]]) -> Document:
    """Lay recordings one after another on the track of the first: the parts that a recorder made of one recording.

    recordings : number and length in frames of each, in order. Tracks that this leaves empty go. Refused where
    one of them has been cut already, since joining would bring back what was taken out.
    """
    numbers = [recording for recording, _ in recordings]
    if len(set(numbers)) < 2:
        raise EditRefused("Choose two recordings or more to join. Nothing was changed.")
    lying = [(track, clip) for track in document.tracks for clip in track.clips if clip.recording in numbers]
    if len({clip.recording for _, clip in lying}) < len(lying):
        raise EditRefused("One of these recordings has been cut already. Undo the cuts first. Nothing was changed.")
    first = next(((track, clip) for track, clip in lying if clip.recording == numbers[0]), None)
    if first is None:
        raise EditRefused("The first of these recordings lies on no track. Put it on one first. Nothing was changed.")
    home, at = first[0].id, first[1].start
    ids = {clip.recording: clip.id for _, clip in lying}
    fresh = count(next_id(document))
    left = {track.id for track, _ in lying}
    tracks = [
        replace(track, clips=tuple(c for c in track.clips if c.recording not in numbers)) for track in document.tracks
    ]
    parts = []
    for recording, length in recordings:
        parts.append(Clip(ids.get(recording) or next(fresh), recording, 0, at, length))
        at += length
    kept = [track for track in tracks if track.clips or track.id == home or track.id not in left]
    joined = [
        replace(track, clips=tuple(sorted([*track.clips, *parts], key=lambda c: c.start)))
        if track.id == home else track for track in kept
    ]  # fmt: skip
    return check(replace(document, tracks=tuple(joined)))


def take_seat(document: Document, *, track: int, onto: int) -> Document:
    """Move all that lies on `track` to the empty track `onto`, which waited for it, and take `track` away."""
    moved, seat = document.track(track), document.track(onto)
    if seat.clips:
        raise EditRefused(f"{seat.name} has sound already. Nothing was changed.")
    rest = replace(document, tracks=tuple(t for t in document.tracks if t.id != track))
    return check(rest.with_track(replace(seat, clips=moved.clips)))


def begin(document: Document, *, name: str, tracks: Sequence[Mapping[str, Any]], ducking_db: float) -> Document:
    """Begin an empty episode from a pattern called `name`: its tracks with recipes, and pieces at their places.

    tracks : what a Track holds but its number; `recipe` and each of `clips` as what they hold.
    """
    if document.tracks:
        raise EditRefused(f"This episode has begun already, so {name} was not laid under it. Nothing was changed.")
    ids = count(next_id(document))
    made = []
    for told in tracks:
        rest = dict(told)
        recipe, under = Recipe(**rest.pop("recipe")), rest.pop("under", None)
        number = next(ids)
        clips = tuple(clip_of({"id": next(ids), **clip}) for clip in rest.pop("clips"))
        made.append(Track(number, clips=clips, recipe=recipe, under=Under(**under) if under else None, **rest))
    return check(replace(document, tracks=tuple(made), ducking=replace(document.ducking, depth_db=ducking_db)))
