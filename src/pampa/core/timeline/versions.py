"""Going back to a version of the episode that was kept under a name, and telling two versions apart."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pampa.core.timeline.codec import decode
from pampa.core.timeline.document import Document, Seam, check


def restore(document: Document, *, content: Mapping[str, Any]) -> Document:
    """The document that a version holds: undone like any edit. content : a document as plain data."""
    del document
    return check(decode(dict(content)))


@dataclass(frozen=True)
class Gist:
    """An episode in a few figures: frames, and how often and how much was taken out."""

    length: int
    seams: int
    taken_out: int
    markers: int


def gist(document: Document) -> Gist:
    """What can be said of a version at a glance."""
    closed = [seam for seam in document.seams if seam.closed]
    return Gist(document.length, len(document.seams), sum(seam.length for seam in closed), len(document.markers))


@dataclass(frozen=True)
class Difference:
    """How one version differs from another: frames it is longer by, and seams that only one of them has."""

    longer: int
    only_here: tuple[Seam, ...]
    only_there: tuple[Seam, ...]


def compare(here: Document, there: Document) -> Difference:
    """Tell two versions apart by length and seams. A seam is the same if it holds the same sound."""
    ours, theirs = ({_missing(seam): seam for seam in document.seams} for document in (here, there))
    return Difference(
        here.length - there.length,
        tuple(seam for key, seam in ours.items() if key not in theirs),
        tuple(seam for key, seam in theirs.items() if key not in ours),
    )


def _missing(seam: Seam) -> tuple[object, ...]:
    held = sorted((p.track, c.recording, c.source, c.length) for p in seam.pieces for c in p.clips)
    return (seam.closed, seam.length, *held)
