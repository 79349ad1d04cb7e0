"""The sound for a picture that stays as it was shot: everybody where they were when the camera ran."""

from dataclasses import replace
from statistics import median

from pampa.core.errors import EditRefused
from pampa.core.timeline.document import Clip, Document, Track


def uncut(document: Document, recording: int, lengths: dict[int, int]) -> Document:
    """The document with nothing taken out, its time that of a recording: how it is treated and mended stays.

    lengths : of each recording, in frames on the episode's clock. Talk lies where it lay beside the picture; music and
    effects begin with what was seen when they began. Raises EditRefused where the recording lies on no track.
    """
    own = _shown(document, recording)
    tracks = []
    for track in document.tracks:
        placed = _talk(track, own, recording, lengths) if track.linked else _music(track, own)
        tracks.append(replace(track, clips=tuple(placed)))
    return replace(document, tracks=tuple(tracks), seams=(), markers=())


def _shown(document: Document, recording: int) -> list[Clip]:
    found = [clip for track in document.tracks for clip in track.clips if clip.recording == recording]
    if not found:
        raise EditRefused("That picture lies on no track, so nothing can be laid under it. Nothing was made.")
    return sorted(found, key=lambda clip: clip.start)


def _talk(track: Track, own: list[Clip], recording: int, lengths: dict[int, int]) -> list[Clip]:
    """Each recording whole, as far from the picture as it lay beside it in most of its clips."""
    placed: list[Clip] = []
    for number in dict.fromkeys(clip.recording for clip in track.clips):
        clips = [clip for clip in track.clips if clip.recording == number]
        apart = [
            (clip.start - clip.source) - (shown.start - shown.source) for clip in clips for shown in own
            if clip.start < shown.end and shown.start < clip.end
        ]  # fmt: skip
        if not apart and number != recording:
            continue
        at = 0 if number == recording else round(median(apart))
        first = max(-at, 0)
        length = lengths.get(number, 0) - first
        if length > 0 and all(at + first + length <= other.start or other.end <= at + first for other in placed):
            whole = replace(clips[0], source=first, start=at + first, length=length, fade_in=0, fade_out=0, muted=False)
            placed.append(whole)
    return sorted(placed, key=lambda clip: clip.start)


def _music(track: Track, own: list[Clip]) -> list[Clip]:
    placed: list[Clip] = []
    for clip in track.clips:
        shown = next((each for each in own if each.start <= clip.start < each.end), None)
        if shown is None:
            continue
        moved = clip.moved(shown.source - shown.start)
        if not placed or placed[-1].end <= moved.start:
            placed.append(moved)
    return placed
