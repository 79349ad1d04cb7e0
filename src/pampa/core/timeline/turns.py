"""Edits that move one person's turn against the others: an answer that comes sooner, two who talk at once."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import count

from pampa.core.errors import EditRefused
from pampa.core.timeline.cutting import SHORTEST, selected, taken_out
from pampa.core.timeline.document import Document, Seam, check, next_id
from pampa.core.timeline.inserting import opened
from pampa.core.timeline.ranges import lift, split_at


def slide(document: Document, *, track: int, start: int, stop: int, by: int, follow: bool = False) -> Document:
    """Move what one person says in a range by `by` frames; it covers what is there, and room tone fills what it leaves.

    follow : everything after it moves as well, for everybody: what is gained is taken out where this person has
    fallen silent, and what is lost is put in before they begin.
    """
    start, stop = selected(document, start, stop)
    by = max(by, -start)
    if abs(by) < SHORTEST:
        raise EditRefused("That would move it by nothing. Nothing was changed.")
    ids = count(next_id(document))
    if follow and by > 0:
        return check(opened(document, start, by, ids))
    document = _slid(document, track, start, stop, by, ids)
    if follow:
        document = taken_out(document, stop + by, stop, ids)
    return check(document)


def _slid(document: Document, track: int, start: int, stop: int, by: int, ids: Iterator[int]) -> Document:
    first, last = min(start, start + by), max(stop, stop + by)
    seam_id = next(ids)
    lifted = lift(document.track(track), first, last, ids)
    inside = split_at(split_at(lifted.piece.clips, start - first, ids), stop - first, ids)
    turn = [clip for clip in inside if start - first <= clip.start < stop - first]
    if not turn:
        raise EditRefused("There is nothing of this person to move. Select what they say. Nothing was changed.")
    laid = tuple(replace(clip, id=next(ids)).moved(first + by) for clip in turn)
    clips = tuple(sorted([*lifted.track.clips, *laid], key=lambda clip: clip.start))
    seam = Seam(seam_id, first, last - first, False, (lifted.piece,), laid=tuple(clip.id for clip in laid))
    before = [s for s in document.seams if s.at <= first]
    return replace(
        document.with_track(replace(lifted.track, clips=clips)),
        seams=(*before, seam, *document.seams[len(before) :]),
    )
