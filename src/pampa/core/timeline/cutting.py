"""Taking out and putting back: the edits that make and undo seams."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import count

from pampa.core.errors import EditRefused
from pampa.core.timeline.document import Clip, Document, Marker, Seam, Track, check, next_id
from pampa.core.timeline.ranges import divided_at, lay_back, lies_across, lift, shift

SHORTEST = 48
"""Frames: anything under a millisecond is a slip of the hand."""


def take_out(document: Document, *, start: int, stop: int, whole: bool = False) -> Document:
    """Take a range out of all talk and close up. Music and effects keep whole and follow, unless pinned.

    whole : take it out of music and effects as well, also of those that are pinned.
    """
    return check(taken_out(document, start, stop, count(next_id(document)), whole=whole))


def taken_out(document: Document, start: int, stop: int, ids: Iterator[int], *, whole: bool = False) -> Document:
    """`take_out` with numbers that are given, unchecked: for many ranges that are checked together."""
    start, stop = selected(document, start, stop)
    return closed_up(document, start, stop, ids, whole=whole)


def closed_up(document: Document, start: int, stop: int, ids: Iterator[int], *, whole: bool = False) -> Document:
    """`taken_out` for a range that may reach beyond the last sound: a marker out there moves up all the same."""
    length = stop - start
    document = replace(document, seams=parted(parted(document.seams, start, ids), stop, ids))
    cut = document.tracks if whole else document.linked_tracks()
    document, seam = _lift(document, cut, start, stop, ids, closed=True)
    shifts: list[tuple[int, int]] = []
    tracks = []
    for track in document.tracks:
        if track.linked or whole:
            track = replace(track, clips=shift(track.clips, start, -length))
        elif not track.pinned:
            track, moved = _follow(track, start, stop)
            shifts += moved
        tracks.append(track)
    on_edge = [(marker.id, length) for marker in document.markers if marker.at == stop]
    seam = replace(
        seam,
        seams=tuple(s.moved(-start) for s in document.seams if _lies_in(s, start, stop)),
        markers=tuple(m.moved(-start) for m in document.markers if start < m.at < stop),
        shifts=(*shifts, *on_edge),
    )
    before = [s for s in document.seams if s.at <= start and not _lies_in(s, start, stop)]
    after = [s.moved(-length) for s in document.seams if s.at >= stop]
    markers = [m.moved(-length) if m.at >= stop else m for m in document.markers if not start < m.at < stop]
    return replace(document, tracks=tuple(tracks), seams=(*before, seam, *after), markers=tuple(markers))


def parted(seams: tuple[Seam, ...], at: int, ids: Iterator[int], opened: int = 0) -> tuple[Seam, ...]:
    """The seams with a cleared stretch that lies across a place as two: one before it, and one after it that is later
    by the `opened` frames put in there."""
    for index, seam in enumerate(seams):
        inside = at - seam.at
        if not seam.closed and 0 < inside < seam.length:
            halves = [divided_at(piece, inside, ids) for piece in seam.pieces]
            after = Seam(next(ids), at + opened, seam.length - inside, False, tuple(half[1] for half in halves))
            before = replace(seam, length=inside, pieces=tuple(half[0] for half in halves))
            seams = (*seams[:index], before, *seams[index + 1 :], after)
    return tuple(sorted(seams, key=lambda seam: seam.at))


def _lies_in(seam: Seam, start: int, stop: int) -> bool:
    return start < seam.at < stop or (seam.at == start and not seam.closed and seam.at + seam.length <= stop)


def clear(document: Document, *, start: int, stop: int, tracks: list[int] | None = None) -> Document:
    """Take a range out of some tracks (all talk if none are named) and leave its room empty."""
    return check(cleared(document, start, stop, tracks, count(next_id(document))))


def cleared(document: Document, start: int, stop: int, tracks: list[int] | None, ids: Iterator[int]) -> Document:
    """`clear` with numbers that are given, unchecked."""
    start, stop = selected(document, start, stop)
    chosen = document.linked_tracks() if tracks is None else tuple(document.track(t) for t in tracks)
    document, seam = _lift(document, chosen, start, stop, ids, closed=False)
    if not any(piece.clips for piece in seam.pieces):
        raise EditRefused("There is nothing there to take out. Nothing was changed.")
    before = [s for s in document.seams if s.at <= start]
    return replace(document, seams=(*before, seam, *document.seams[len(before) :]))


def put_back(document: Document, *, seam: int) -> Document:
    """Open a seam again: what was taken out returns to its place, and what follows makes room."""
    return check(reopened(document, seam))


def reopened(document: Document, seam: int) -> Document:
    """`put_back`, unchecked: for edits that go on from there."""
    gone = document.seam(seam)
    at, length = gone.at, gone.length
    pieces = {piece.track: piece for piece in gone.pieces}
    moved = dict(gone.shifts)
    tracks = []
    for track in document.tracks:
        clips = tuple(clip for clip in track.clips if clip.id not in gone.laid) if gone.laid else track.clips
        if gone.closed and (track.linked or track.id in pieces):
            if lies_across(clips, at):
                raise EditRefused(
                    f"Something on {track.name} now lies across this seam. Nothing was changed; split it at the "
                    "seam first, or undo back to before it."
                )
            clips = shift(clips, at, length)
        elif gone.closed and not track.pinned:
            clips = _return(clips, at, length, moved)
        track = replace(track, clips=clips)
        if track.id in pieces:
            track = lay_back(track, pieces[track.id], at, length)
        tracks.append(track)
    place = document.seams.index(gone)
    after = document.seams[place + 1 :]
    # What lies on the very spot and was moved up to it, by this seam or one after it, lies after this one.
    moved_up = {thing for s in (gone, *after) if s.at == at for thing, _ in s.shifts}
    markers = [
        m.moved(length) if gone.closed and (m.at > at or (m.at == at and m.id in moved_up)) else m
        for m in document.markers
    ]
    return replace(
        document,
        tracks=tuple(tracks),
        seams=(
            *document.seams[:place],
            *(s.moved(at) for s in gone.seams),
            *(s.moved(length) if gone.closed else s for s in after),
        ),
        markers=tuple(sorted([*markers, *(m.moved(at) for m in gone.markers)], key=_order)),
    )


def selected(document: Document, start: int, stop: int) -> tuple[int, int]:
    """The part of a range that lies in the episode. Raises EditRefused where that is less than a millisecond."""
    start, stop = max(min(start, stop), 0), min(max(start, stop), document.length)
    if stop - start < SHORTEST:
        raise EditRefused("Nothing is selected. Drag over the sheet, or set the in and out points with [ and ].")
    return start, stop


def _lift(
    document: Document, chosen: tuple[Track, ...], start: int, stop: int, ids: Iterator[int], *, closed: bool
) -> tuple[Document, Seam]:
    seam_id = next(ids)
    pieces = []
    for track in chosen:
        lifted = lift(track, start, stop, ids)
        document = document.with_track(lifted.track)
        pieces.append(lifted.piece)
    return document, Seam(seam_id, start, stop - start, closed, tuple(pieces))


def _follow(track: Track, start: int, stop: int) -> tuple[Track, list[tuple[int, int]]]:
    """Move the clips of a following track up, whole, never onto each other."""
    moved: list[Clip] = []
    shifts = []
    for clip in track.clips:
        target = clip.start
        if clip.start >= stop:
            target = clip.start - (stop - start)
        elif clip.start > start:
            target = start
        target = max(target, moved[-1].end) if moved else target
        if clip.start >= start and clip.start - target != stop - start:
            shifts.append((clip.id, clip.start - target))
        moved.append(clip.moved(target - clip.start))
    return replace(track, clips=tuple(moved)), shifts


def _return(clips: tuple[Clip, ...], at: int, length: int, moved: dict[int, int]) -> tuple[Clip, ...]:
    returned: list[Clip] = []
    for clip in clips:
        by = moved.get(clip.id, length if clip.start >= at else 0)
        target = max(clip.start + by, returned[-1].end) if returned else clip.start + by
        returned.append(clip.moved(target - clip.start))
    return tuple(returned)


def _order(thing: Marker) -> tuple[int, int]:
    return thing.at, thing.id
