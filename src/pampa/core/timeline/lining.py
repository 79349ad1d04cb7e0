"""Lining up people on the sheet: sound slides under what has been cut, and clocks are set right."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import count
from typing import Any

from pampa.core.errors import EditRefused, NotFound
from pampa.core.timeline.document import Clip, Document, Held, Seam, Track, check, next_id
from pampa.core.timeline.ranges import split_at


@dataclass(frozen=True)
class Section:
    """A stretch of a recording that keeps its place as one: frames `first` to `last`, to be heard `by` later.

    was_last : where it ended before the recording's clock was set.
    """

    first: int
    last: int
    by: int
    was_last: int


def nudge(document: Document, *, track: int, by: int, frames: list[list[int]]) -> Document:
    """Slide one person's sound against the others, later by `by` frames; cuts stay where they are.

    Ends that are the recording's own ends move with the sound; ends that were cut stay, and sound slips
    under them. `frames` lists [recording, its length] for each recording on the track.
    """
    sections = {recording: [Section(0, length, by, length)] for recording, length in frames}
    return check(_slide(document, track, sections))


def line_up(document: Document, *, tracks: Sequence[Mapping[str, Any]], room: int = 0) -> Document:
    """Put several people in step at once.

    Parameters
    ----------
    tracks : for each track that moves: `track`, `recording`, `frames` (its length after its drift is taken
        out), `was_frames` (before), `drift_ppm`, `by` (how much later it is to be heard against what stays,
        in frames), and `breaks`: [place, by] pairs, from which frame of the recording on it is to be heard
        `by` frames later still, because the recorder had stopped there.
    room : frames by which everything on the sheet begins later first.
    """
    if room:
        document = _later(document, room)
    for told in tracks:
        recording = told["recording"]
        document = _with_clock(document, told["track"], recording, told["drift_ppm"])
        document = _slide(document, told["track"], {recording: _sections(told)})
    return check(document)


def distance(document: Document, recording: int, other: int) -> int:
    """How much later frame 0 of one recording lies on the sheet than frame 0 of another.

    Cuts move both from place to place; what counts is the difference where both sound, if they do anywhere.
    """
    here, there = clips_of(document, recording), clips_of(document, other)
    for clip in here:
        for beside in there:
            if beside.start < clip.end and clip.start < beside.end:
                return _origin(clip) - _origin(beside)
    return _origin(here[0]) - _origin(there[0])


def clips_of(document: Document, recording: int) -> list[Clip]:
    """The clips of a recording on tracks of talk. Raises NotFound if there are none."""
    clips = [clip for track in document.linked_tracks() for clip in track.clips if clip.recording == recording]
    if not clips:
        raise NotFound("A recording is not on the sheet any more. Nothing was changed.")
    return clips


def _origin(clip: Clip) -> int:
    return clip.start - clip.source


def _later(document: Document, by: int) -> Document:
    return replace(
        document,
        tracks=tuple(replace(t, clips=tuple(clip.moved(by) for clip in t.clips)) for t in document.tracks),
        seams=tuple(seam.moved(by) for seam in document.seams),
        markers=tuple(marker.moved(by) for marker in document.markers),
    )


def _sections(told: Mapping[str, Any]) -> list[Section]:
    edges = [(0, 0), *((int(place), int(by)) for place, by in told["breaks"])]
    ends = [place for place, _ in edges[1:]] + [told["frames"]]
    sections, by = [], told["by"]
    for (first, jump), last in zip(edges, ends, strict=True):
        by += jump
        sections.append(Section(first, last, by, told["was_frames"] if last == told["frames"] else last))
    return sections


def _with_clock(document: Document, track: int, recording: int, drift_ppm: float) -> Document:
    """Set a recording's clock. Clips of it on other tracks keep what is heard in them."""
    ratio = (1 + drift_ppm * 1e-6) / (1 + document.drift_ppm(recording) * 1e-6)
    if ratio == 1:
        return document

    def clocked(clip: Clip) -> Clip:
        if clip.recording != recording or not clip.envelope:
            return clip
        return replace(clip, envelope=tuple((round(at * ratio), db) for at, db in clip.envelope))

    def kept(clip: Clip) -> Clip:
        clip = clocked(clip)
        return replace(clip, source=round(clip.source * ratio)) if clip.recording == recording else clip

    tracks = [replace(t, clips=tuple(map(clocked if t.id == track else kept, t.clips))) for t in document.tracks]
    seams = tuple(
        _seam_with(_seam_with(seam, lambda piece: piece != track, kept), lambda piece: piece == track, clocked)
        for seam in document.seams
    )
    return replace(document, tracks=tuple(tracks), seams=seams).with_drift(recording, drift_ppm)


def _slide(document: Document, track_id: int, sections: Mapping[int, Sequence[Section]]) -> Document:
    """Slide the clips of one track, each with the section of its recording that it lies in."""
    track = document.track(track_id)
    ids = count(next_id(document))
    clips = track.clips
    for recording, parts in sections.items():
        for part in parts[1:]:
            clips = _split_at_source(clips, recording, part.first, ids)
    slid = [_slid(clip, _section_of(clip, sections)) for clip in clips]
    if any(clip.length <= 0 for clip in slid):
        raise EditRefused("Moved so far, a piece between two cuts would be empty. Nothing was changed.")
    slid = _without_overlaps(slid)
    seams = tuple(
        _seam_with(
            seam,
            lambda piece: piece == track_id,
            lambda clip: replace(clip, source=max(clip.source - _section_of(clip, sections).by, 0)),
        )
        for seam in document.seams
    )
    return replace(document.with_track(_with_clips(track, slid)), seams=seams)


def _with_clips(track: Track, clips: Iterable[Clip]) -> Track:
    return replace(track, clips=tuple(sorted(clips, key=lambda clip: clip.start)))


def _section_of(clip: Clip, sections: Mapping[int, Sequence[Section]]) -> Section:
    parts = sections.get(clip.recording)
    if not parts:
        return Section(0, clip.source_end, 0, clip.source_end)
    middle = clip.source + clip.length // 2
    return next((part for part in parts if middle < part.last), parts[-1])


def _split_at_source(clips: tuple[Clip, ...], recording: int, source: int, ids: "count[int]") -> tuple[Clip, ...]:
    for clip in clips:
        if clip.recording == recording and clip.source < source < clip.source_end:
            clips = split_at(clips, clip.start + source - clip.source, ids)
    return clips


def _slid(clip: Clip, section: Section) -> Clip:
    start, end = clip.start, clip.end
    if clip.source <= section.first:
        start = max(start + section.by, 0)
    if clip.source_end >= section.was_last:
        end += section.by + section.last - section.was_last
    source = clip.source + (start - clip.start) - section.by
    if source < section.first:
        start, source = start + section.first - source, section.first
    end = min(end, start + section.last - source)
    fade_in = min(clip.fade_in, max(end - start, 0))
    fade_out = min(clip.fade_out, max(end - start - fade_in, 0))
    return replace(clip, source=source, start=start, length=end - start, fade_in=fade_in, fade_out=fade_out)


def _without_overlaps(clips: list[Clip]) -> list[Clip]:
    """Where a section moved back over the one before it, the earlier one ends where the later begins."""
    kept: list[Clip] = []
    for clip in sorted(clips, key=lambda clip: clip.start):
        if kept and kept[-1].end > clip.start:
            before = kept.pop()
            length = clip.start - before.start
            if length > 0:
                fade_in = min(before.fade_in, length)
                fade_out = min(before.fade_out, length - fade_in)
                kept.append(replace(before, length=length, fade_in=fade_in, fade_out=fade_out))
        kept.append(clip)
    return kept


def _seam_with(seam: Seam, concerns: Callable[[int], bool], changed: Callable[[Clip], Clip]) -> Seam:
    """A seam in which the clips of some tracks were changed, in the seams within it too."""
    pieces = tuple(
        Held(p.track, tuple(map(changed, p.clips)), tuple(map(changed, p.divided))) if concerns(p.track) else p
        for p in seam.pieces
    )
    inner = tuple(_seam_with(held, concerns, changed) for held in seam.seams)
    return replace(seam, pieces=pieces, seams=inner)
