"""Edits on a seam itself: its sides moved, its cross-fade, part of what is missing put back."""

from dataclasses import replace
from itertools import chain, count

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.timeline.cutting import SHORTEST, cleared, reopened, taken_out
from pampa.core.timeline.document import Crossing, Document, Seam, check, next_id

LONGEST_CROSSFADE = 2 * RATE


def drag_seam(document: Document, *, seam: int, first: int = 0, last: int = 0) -> Document:
    """Put back `first` frames from the beginning of what is missing and `last` from its end; less than 0 takes more."""
    gone = document.seam(seam)
    if gone.laid:
        raise EditRefused("What was moved here has no sides to drag. Put it back, or move it again.")
    start, stop = max(gone.at + first, 0), gone.at + gone.length - last
    if stop - start < SHORTEST:
        raise EditRefused("Nothing would be missing any more. Put it back instead. Nothing was changed.")
    ids = chain([seam], count(next_id(document)))
    whole = reopened(document, seam)
    missing = [piece.track for piece in gone.pieces]
    if gone.closed:
        all_tracks = any(not document.track(track).linked for track in missing)
        made = taken_out(whole, start, stop, ids, whole=all_tracks)
    else:
        made = cleared(whole, start, stop, missing, ids)
    return check(_with_seam(made, replace(made.seam(seam), crossfade=gone.crossfade, crossing=gone.crossing)))


def set_seam(document: Document, *, seam: int, crossfade: int | None = None, crossing: Crossing | None = None
             ) -> Document:  # fmt: skip
    """Change how long a join crosses over, in frames, and what it keeps steady meanwhile."""
    old = document.seam(seam)
    crossfade = old.crossfade if crossfade is None else crossfade
    if not 0 <= crossfade <= LONGEST_CROSSFADE:
        raise EditRefused("A cross-fade at a join lasts up to two seconds. Nothing was changed.")
    return _with_seam(document, replace(old, crossfade=crossfade, crossing=crossing or old.crossing))


def _with_seam(document: Document, changed: Seam) -> Document:
    return replace(document, seams=tuple(changed if seam.id == changed.id else seam for seam in document.seams))
