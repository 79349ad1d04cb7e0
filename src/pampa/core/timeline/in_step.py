"""What must move so that people lie on the sheet as was measured. Nothing moves here: `lining.line_up` does that."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pampa.core.sound import RATE
from pampa.core.sync.align import Break
from pampa.core.sync.clock import Clock
from pampa.core.sync.clocked import clocked_frames
from pampa.core.timeline.document import Document
from pampa.core.timeline.lining import clips_of, distance


@dataclass(frozen=True)
class Lie:
    """How a recording of `frames` frames lies against the reference. Breaks add to the offset from there on."""

    clock: Clock
    frames: int
    breaks: Sequence[Break] = ()


def moves(document: Document, lies: Mapping[int, Lie]) -> list[dict[str, Any]]:
    """The `tracks` of a `line_up` edit, by recording; empty where everybody lies right already.

    The recording that comes first on the sheet stays as it is and keeps its clock; the others come to it. Cuts
    that were made in it therefore stay exactly where they are.
    """
    order = recordings_of(document)
    known = [recording for recording in order if recording in lies]
    if len(known) < 2:
        return []
    kept = known[0]
    found = (_move(document, recording, lies[recording], kept, lies[kept].clock) for recording in known)
    return [move for move in found if move]


def room_for(document: Document, tracks: Sequence[Mapping[str, Any]]) -> int:
    """Frames by which all must begin later so that nobody would begin before the beginning.

    Once something has been cut, nothing moves for that: what would lie before the beginning is not heard.
    """
    if document.seams:
        return 0
    starts = (clips_of(document, move["recording"])[0].start + move["by"] for move in tracks)
    return max(0, -min(starts, default=0))


def recordings_of(document: Document, kind: str | None = None) -> list[int]:
    """Recordings of talk, in the order of the tracks that hold them."""
    tracks = [track for track in document.linked_tracks() if kind in (None, track.kind)]
    return list(dict.fromkeys(clip.recording for track in tracks for clip in track.clips))


def _move(document: Document, recording: int, lie: Lie, kept: int, kept_clock: Clock) -> dict[str, Any] | None:
    by, drift_ppm = 0, document.drift_ppm(recording)
    if recording != kept:
        # Against the one who stays, on the clock that this one has on the sheet.
        beside, pace = lie.clock.onto(kept_clock), 1 + document.drift_ppm(kept) * 1e-6
        drift_ppm = round(((1 + beside.drift_ppm * 1e-6) * pace - 1) * 1e6, 4)
        by = round(beside.offset_s * pace * RATE) - distance(document, recording, kept)
    breaks = [[clocked_frames(round(cut.at_s * RATE), drift_ppm), round(cut.jump_s * RATE)] for cut in lie.breaks]
    if breaks and _is_divided(document, recording, breaks[0]):
        breaks = []
    if not by and not breaks and drift_ppm == document.drift_ppm(recording):
        return None
    track = next(t.id for t in document.tracks for clip in t.clips if clip.recording == recording)
    return {
        "track": track, "recording": recording, "by": by, "drift_ppm": drift_ppm, "breaks": breaks,
        "frames": clocked_frames(lie.frames, drift_ppm),
        "was_frames": clocked_frames(lie.frames, document.drift_ppm(recording)),
    }  # fmt: skip


def _is_divided(document: Document, recording: int, first_break: Sequence[int]) -> bool:
    """Whether a recording's parts lie apart already as its first break says."""
    place, by = first_break
    clips = clips_of(document, recording)
    before = [clip for clip in clips if clip.source < place]
    after = [clip for clip in clips if clip.source >= place]
    return (
        bool(before and after)
        and abs(after[0].start - after[0].source - before[-1].start + before[-1].source - by) <= 1
    )
