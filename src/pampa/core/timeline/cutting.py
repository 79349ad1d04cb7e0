"""Taking out and putting back: the edits that make and undo seams."""

from dataclasses import replace
from itertools import count

from pampa.core.errors import EditRefused
from pampa.core.timeline.document import Clip, Document, Marker, Seam, Track, check, next_id
from pampa.core.timeline.ranges import lay_back, lift, shift

SHORTEST = 48
"""Frames: anything under a millisecond is a slip of the hand."""


def take_out(document: Document, *, start: int, stop: int) -> Document:
    """Take a range out of all talk and close up. Music and effects keep whole and follow, unless pinned."""
    start, stop = _range(document, start, stop)
    length = stop - start
    document, seam = _lift(document, document.linked_tracks(), start, stop, closed=True)
    shifts: list[tuple[int, int]] = []
    tracks = []
    for track in document.tracks:
        if track.linked:
            track = replace(track, clips=shift(track.clips, start, -length))
        elif not track.pinned:
            track, moved = _follow(track, start, stop)
            shifts += moved
        tracks.append(track)
    on_edge = [(marker.id, length) for marker in document.markers if marker.at == stop]
    seam = replace(
        seam,
        seams=tuple(s.moved(-start) for s in document.seams if start < s.at < stop),
        markers=tuple(m.moved(-start) for m in document.markers if start < m.at < stop),
        shifts=(*shifts, *on_edge),
    )
    before = [s for s in document.seams if s.at <= start]
    after = [s.moved(-length) for s in document.seams if s.at >= stop]
    markers = [m.moved(-length) if m.at >= stop else m for m in document.markers if not start < m.at < stop]
    return check(replace(document, tracks=tuple(tracks), seams=(*before, seam, *after), markers=tuple(markers)))


def clear(document: Document, *, start: int, stop: int, tracks: list[int] | None = None) -> Document:
    """Take a range out of some tracks (all talk if none are named) and leave its room empty."""
    start, stop = _range(document, start, stop)
    chosen = document.linked_tracks() if tracks is None else tuple(document.track(t) for t in tracks)
    document, seam = _lift(document, chosen, start, stop, closed=False)
    if not any(piece.clips for piece in seam.pieces):
        raise EditRefused("There is nothing there to take out. Nothing was changed.")
    before = [s for s in document.seams if s.at <= start]
    return check(replace(document, seams=(*before, seam, *document.seams[len(before) :])))


def put_back(document: Document, *, seam: int) -> Document:
    """Open a seam again: what was taken out returns to its place, and what follows makes room."""
    gone = document.seam(seam)
    at, length = gone.at, gone.length
    pieces = {piece.track: piece for piece in gone.pieces}
    moved = dict(gone.shifts)
    tracks = []
    for track in document.tracks:
        clips = track.clips
        if gone.closed and track.linked:
            if any(clip.start < at < clip.end for clip in clips):
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
    return check(
        replace(
            document,
            tracks=tuple(tracks),
            seams=(
                *document.seams[:place],
                *(s.moved(at) for s in gone.seams),
                *(s.moved(length) if gone.closed else s for s in after),
            ),
            markers=tuple(sorted([*markers, *(m.moved(at) for m in gone.markers)], key=_order)),
        )
    )


def _range(document: Document, start: int, stop: int) -> tuple[int, int]:
    start, stop = max(min(start, stop), 0), min(max(start, stop), document.length)
    if stop - start < SHORTEST:
        raise EditRefused("Nothing is selected. Drag over the sheet, or set the in and out points with [ and ].")
    return start, stop


def _lift(
    document: Document, chosen: tuple[Track, ...], start: int, stop: int, *, closed: bool
) -> tuple[Document, Seam]:
    ids = count(next_id(document))
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
