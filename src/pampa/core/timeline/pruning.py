"""Deciding about finds: many taken out in one edit, or left for good."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.timeline.cutting import cleared, taken_out
from pampa.core.timeline.document import Document, Left, check, next_id


def prune(document: Document, *, cuts: Sequence[Mapping[str, Any]]) -> Document:
    """Take several ranges out at once.

    cuts : `start` and `stop` of each; with `tracks`, only theirs is taken out and its room left empty, without, it is
    taken out of all talk and closed up. Where ranges overlap they are taken out as one.
    """
    if not cuts:
        raise EditRefused("There is nothing to take out. Nothing was changed.")
    closed = _merged((cut["start"], cut["stop"]) for cut in cuts if not cut.get("tracks"))
    ids = count(next_id(document))
    for tracks in dict.fromkeys(tuple(cut["tracks"]) for cut in cuts if cut.get("tracks")):
        own = _merged((cut["start"], cut["stop"]) for cut in cuts if tuple(cut.get("tracks") or ()) == tracks)
        for start, stop in own:
            document = cleared(document, start, stop, list(tracks), ids)
    gone = 0
    # From the first to the last: only what has not been cut yet moves up with each.
    for start, stop in closed:
        document = taken_out(document, start - gone, stop - gone, ids)
        gone += stop - start
    return check(document)


def leave(document: Document, *, finds: Sequence[Mapping[str, Any]]) -> Document:
    """Leave finds as they are: they are not proposed again. Each has a `kind`, a `recording`, `start` and `stop`."""
    return replace(document, left=tuple(dict.fromkeys((*document.left, *(Left(**find) for find in finds)))))


def reopen(document: Document, *, finds: Sequence[Mapping[str, Any]]) -> Document:
    """Ask again about finds that had been left."""
    again = {Left(**find) for find in finds}
    return replace(document, left=tuple(left for left in document.left if left not in again))


def mark_find(document: Document, *, finds: Sequence[Mapping[str, Any]]) -> Document:
    """Add finds by hand, to be decided about like any other."""
    return replace(document, added=tuple(dict.fromkeys((*document.added, *(Left(**find) for find in finds)))))


def drop_find(document: Document, *, finds: Sequence[Mapping[str, Any]]) -> Document:
    """Forget finds that had been added by hand."""
    gone = {Left(**find) for find in finds}
    return replace(document, added=tuple(added for added in document.added if added not in gone))


def _merged(ranges: Any) -> list[tuple[int, int]]:
    merged: list[tuple[int, int]] = []
    for start, stop in sorted(ranges):
        if merged and start <= merged[-1][1]:
            merged[-1] = (merged[-1][0], max(stop, merged[-1][1]))
        else:
            merged.append((start, stop))
    return merged
