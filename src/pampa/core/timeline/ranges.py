"""Taking a range out of the clips of one track, and laying it back in."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

from pampa.core.timeline.document import Clip, Piece, Track


@dataclass(frozen=True)
class Lifted:
    """A track without a range, and the range."""

    track: Track
    piece: Piece


def divide(clip: Clip, at: int, new_id: int) -> tuple[Clip, Clip]:
    """Two clips that sound like one. The left keeps the number and the fade in, the right the fade out."""
    head = at - clip.start
    left = replace(clip, length=head, fade_in=min(clip.fade_in, head), fade_out=0)
    right = replace(
        clip, id=new_id, source=clip.source + head, start=at, length=clip.length - head, fade_in=0,
        fade_out=min(clip.fade_out, clip.length - head),
    )  # fmt: skip
    return left, right


def split_at(clips: tuple[Clip, ...], at: int, ids: Iterator[int]) -> tuple[Clip, ...]:
    """Divide the clip that lies across `at`, if one does."""
    for index, clip in enumerate(clips):
        if clip.start < at < clip.end:
            return (*clips[:index], *divide(clip, at, next(ids)), *clips[index + 1 :])
    return clips


def lift(track: Track, start: int, stop: int, ids: Iterator[int]) -> Lifted:
    """Take `[start, stop)` off a track; what follows stays where it is."""
    divided = tuple(
        clip.moved(-start) for clip in track.clips if clip.start < start < clip.end or clip.start < stop < clip.end
    )
    clips = split_at(split_at(track.clips, start, ids), stop, ids)
    inside = tuple(clip.moved(-start) for clip in clips if start <= clip.start < stop)
    outside = tuple(clip for clip in clips if not start <= clip.start < stop)
    return Lifted(replace(track, clips=outside), Piece(track.id, inside, divided))


def shift(clips: tuple[Clip, ...], at: int, by: int) -> tuple[Clip, ...]:
    """Move every clip that starts at or after `at`."""
    return tuple(clip.moved(by) if clip.start >= at else clip for clip in clips)


def lay_back(track: Track, piece: Piece, at: int, length: int) -> Track:
    """Put a piece back into the room that has been made for it, joining what the cut had divided.

    A join is made only where sound still runs on: if a side was changed meanwhile, it stays a clip of its own.
    """
    clips = [*track.clips, *(clip.moved(at) for clip in piece.clips)]
    clips.sort(key=lambda clip: clip.start)
    for whole in piece.divided:
        for edge in (at, at + length):
            if whole.start + at < edge < whole.end + at:
                clips = _join_at(clips, edge)
    wholes = {whole.id: whole.moved(at) for whole in piece.divided}
    return replace(track, clips=tuple(_restored(clip, wholes.get(clip.id)) for clip in clips))


def _restored(clip: Clip, whole: Clip | None) -> Clip:
    """The clip as it was before the cut, where only fades that the cut had shortened tell them apart."""
    same = whole is not None and replace(clip, fade_in=whole.fade_in, fade_out=whole.fade_out) == whole
    if whole is None or not same or clip.fade_in > whole.fade_in or clip.fade_out > whole.fade_out:
        return clip
    return whole


def _join_at(clips: list[Clip], at: int) -> list[Clip]:
    for index in range(len(clips) - 1):
        left, right = clips[index], clips[index + 1]
        if left.end == at and left.runs_on_into(right):
            joined = replace(left, length=left.length + right.length, fade_out=right.fade_out)
            return [*clips[:index], joined, *clips[index + 2 :]]
    return clips
