"""Edits that open time: silence, room tone or copied talk put in, a stretch carried elsewhere, a spot dropped in."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.timeline.arranging import add_track
from pampa.core.timeline.codec import clip_of
from pampa.core.timeline.cutting import SHORTEST, closed_up, parted, selected, taken_out
from pampa.core.timeline.document import Clip, Document, Track, check, next_id
from pampa.core.timeline.ranges import join_at, shift, split_at

LONGEST = 24 * 3600 * 48_000


def insert(document: Document, *, at: int, length: int, pieces: Sequence[Mapping[str, Any]] = ()
           ) -> Document:  # fmt: skip
    """Open `length` frames for everybody and put pieces of talk in; without any, they stay silent.

    pieces : each with a `track` and its `clips`, as what a Clip holds but its number; starts count from `at`.
    Music and effects that begin later follow, unless pinned.
    """
    if not SHORTEST <= length <= LONGEST:
        raise EditRefused("There is no time to put in. Give a length, or copy something first. Nothing was changed.")
    ids = count(next_id(document))
    document = opened(document, at, length, ids)
    for piece in pieces:
        track = document.track(piece["track"])
        clips = tuple(clip_of({"id": next(ids), **clip}).moved(at) for clip in piece["clips"])
        document = document.with_track(_laid(track, clips))
    return check(document)


def opened(document: Document, at: int, length: int, ids: Iterator[int]) -> Document:
    """Room for `length` frames at a place, unchecked. A marker or seam on the very place stays before it."""
    tracks = []
    for track in document.tracks:
        if track.linked:
            track = replace(track, clips=shift(split_at(track.clips, at, ids), at, length))
        elif not track.pinned:
            track = replace(track, clips=shift(track.clips, at, length))
        tracks.append(track)
    seams = tuple(seam.moved(length) if seam.at > at else seam for seam in document.seams)
    seams = parted(seams, at, ids, length)
    markers = tuple(marker.moved(length) if marker.at > at else marker for marker in document.markers)
    return replace(document, tracks=tuple(tracks), seams=seams, markers=markers)


def carry(document: Document, *, start: int, stop: int, to: int) -> Document:
    """Take everything of a stretch to another place: talk, its seams and markers, and music that begins in it."""
    start, stop = selected(document, start, stop)
    if start <= to <= stop:
        raise EditRefused("It lies there already. Choose a place outside the selection. Nothing was changed.")
    ids = count(next_id(document))
    music = {
        track.id: tuple(clip for clip in track.clips if start <= clip.start < stop)
        for track in document.tracks if not track.linked and not track.pinned
    }  # fmt: skip
    going = {clip.id for clips in music.values() for clip in clips}
    rest = replace(document, tracks=tuple(_without(track, going) for track in document.tracks))
    rest = taken_out(rest, start, stop, ids)
    seam = next(seam for seam in rest.seams if all(seam.id != other.id for other in document.seams))
    rest = replace(rest, seams=tuple(other for other in rest.seams if other.id != seam.id))
    at = to if to < start else to - (stop - start)
    made = opened(rest, at, stop - start, ids)
    for piece in seam.pieces:
        made = made.with_track(_laid(made.track(piece.track), tuple(clip.moved(at) for clip in piece.clips)))
    for track_id, clips in music.items():
        made = made.with_track(_laid(made.track(track_id), tuple(clip.moved(at - start) for clip in clips)))
    markers = [*made.markers, *(marker.moved(at) for marker in seam.markers)]
    made = replace(
        made,
        seams=tuple(sorted([*made.seams, *(inner.moved(at) for inner in seam.seams)], key=lambda s: s.at)),
        markers=tuple(sorted(markers, key=lambda m: (m.at, m.id))),
    )
    return check(_healed(made, (start, stop, at, at + stop - start)))


def drop_spot(document: Document, *, name: str, at: int, recording: int, length: int, source: int = 0,
              fade_in: int = 0, fade_out: int = 0) -> Document:  # fmt: skip
    """Put a spot in at a place: time opens for it, everybody goes on after it."""
    ids = count(next_id(document))
    document = opened(document, at, length, ids)
    track = next((track for track in document.tracks if track.kind == "spot"), None)
    if track is None:
        document = add_track(document, name=name, kind="spot")
        track = document.tracks[-1]
        ids = count(next_id(document))
    spot = Clip(next(ids), recording, source, at, length, 0.0, fade_in, fade_out)
    return check(document.with_track(_laid(document.track(track.id), (spot,))))


def lift_spot(document: Document, *, clip: int) -> Document:
    """Take a spot out again and close the time that it had opened."""
    track, spot = document.find_clip(clip)
    rest = document.with_track(replace(track, clips=tuple(c for c in track.clips if c.id != clip)))
    if any(c.start < spot.end and c.end > spot.start for other in rest.linked_tracks() for c in other.clips):
        raise EditRefused(
            "Somebody talks while this spot is heard, so its time cannot be closed. Nothing was changed; "
            "remove the piece alone instead."
        )
    ids = count(next_id(document))
    closed = closed_up(rest, spot.start, spot.end, ids)
    known = {seam.id for seam in document.seams}
    # Nothing was lost with that time, so nothing is kept of it.
    closed = replace(closed, seams=tuple(seam for seam in closed.seams if seam.id in known))
    return check(_healed(closed, (spot.start,)))


def _healed(document: Document, places: Sequence[int]) -> Document:
    """Talk that runs on across these places again is one clip again, unless something is missing there."""
    places = [place for place in places if all(seam.at != place for seam in document.seams)]
    tracks = []
    for track in document.tracks:
        clips = list(track.clips)
        if track.linked:
            for place in places:
                clips = join_at(clips, place)
        tracks.append(replace(track, clips=tuple(clips)))
    return replace(document, tracks=tuple(tracks))


def _laid(track: Track, clips: tuple[Clip, ...]) -> Track:
    return replace(track, clips=tuple(sorted([*track.clips, *clips], key=lambda clip: clip.start)))


def _without(track: Track, going: set[int]) -> Track:
    return replace(track, clips=tuple(clip for clip in track.clips if clip.id not in going))
