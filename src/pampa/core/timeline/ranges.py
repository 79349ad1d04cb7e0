"""Taking a range out of the clips of one track, and laying it back in."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, replace
from operator import attrgetter

from pampa.core.timeline.document import Clip, Held, Track

# The clips of a track are in order and none overlaps another: their starts and their ends can be bisected.
_start, _end = attrgetter("start"), attrgetter("end")


@dataclass(frozen=True)
class Lifted:
    """A track without a range, and the range."""

    track: Track
    piece: Held


def divide(clip: Clip, at: int, new_id: int) -> tuple[Clip, Clip]:
    """Two clips that sound like one. The left keeps the number and the fade in, the right the fade out."""
    head = at - clip.start
    left = replace(clip, length=head, fade_in=min(clip.fade_in, head), fade_out=0)
    right = replace(
        clip, id=new_id, source=clip.source + head, start=at, length=clip.length - head, fade_in=0,
        fade_out=min(clip.fade_out, clip.length - head),
    )  # fmt: skip
    return left, right


def lies_across(clips: tuple[Clip, ...], at: int) -> bool:
    """Whether one of these clips sounds on both sides of a place."""
    index = bisect_right(clips, at, key=_end)
    return index < len(clips) and clips[index].start < at


def split_at(clips: tuple[Clip, ...], at: int, ids: Iterator[int]) -> tuple[Clip, ...]:
    """Divide the clip that lies across `at`, if one does."""
    if not lies_across(clips, at):
        return clips
    index = bisect_right(clips, at, key=_end)
    return (*clips[:index], *divide(clips[index], at, next(ids)), *clips[index + 1 :])


def lift(track: Track, start: int, stop: int, ids: Iterator[int]) -> Lifted:
    """Take `[start, stop)` off a track; what follows stays where it is."""
    first, last = bisect_right(track.clips, start, key=_end), bisect_left(track.clips, stop, key=_start)
    touched = track.clips[first:last]
    divided = tuple(
        clip.moved(-start) for clip in touched if clip.start < start < clip.end or clip.start < stop < clip.end
    )
    parts = split_at(split_at(touched, start, ids), stop, ids)
    inside = tuple(clip.moved(-start) for clip in parts if start <= clip.start < stop)
    beside = tuple(clip for clip in parts if not start <= clip.start < stop)
    outside = track.clips[:first] + beside + track.clips[last:]
    return Lifted(replace(track, clips=outside), Held(track.id, inside, divided))


def shift(clips: tuple[Clip, ...], at: int, by: int) -> tuple[Clip, ...]:
    """Move every clip that starts at or after `at`."""
    first = bisect_left(clips, at, key=_start)
    return clips[:first] + tuple(clip.moved(by) for clip in clips[first:])


def divided_at(piece: Held, at: int, ids: Iterator[int]) -> tuple[Held, Held]:
    """A piece as two: what it holds before `at` frames of the missing range, and what it holds after."""
    clips = split_at(piece.clips, at, ids)
    before = tuple(clip for clip in clips if clip.start < at)
    return Held(piece.track, before), Held(piece.track, tuple(clip.moved(-at) for clip in clips[len(before) :]))


def lay_back(track: Track, piece: Held, at: int, length: int) -> Track:
    """Put a piece back into the room that has been made for it, joining what the cut had divided.

    A join is made only where sound still runs on: if a side was changed meanwhile, it stays a clip of its own.
    """
    first, last = bisect_left(track.clips, at, key=_end), bisect_right(track.clips, at + length, key=_start)
    clips = [*track.clips[first:last], *(clip.moved(at) for clip in piece.clips)]
    clips.sort(key=_start)
    for whole in piece.divided:
        for edge in (at, at + length):
            if whole.start + at < edge < whole.end + at:
                clips = join_at(clips, edge)
    wholes = {whole.id: whole.moved(at) for whole in piece.divided}
    restored = tuple(_restored(clip, wholes.get(clip.id)) for clip in clips)
    return replace(track, clips=track.clips[:first] + restored + track.clips[last:])


def _restored(clip: Clip, whole: Clip | None) -> Clip:
    """The clip as it was before the cut, where only fades that the cut had shortened tell them apart."""
    same = whole is not None and replace(clip, fade_in=whole.fade_in, fade_out=whole.fade_out) == whole
    if whole is None or not same or clip.fade_in > whole.fade_in or clip.fade_out > whole.fade_out:
        return clip
    return whole


def join_at(clips: list[Clip], at: int) -> list[Clip]:
    """The clips with the two that meet at a place made one, where sound runs on from one into the other."""
    for index in range(len(clips) - 1):
        left, right = clips[index], clips[index + 1]
        if left.end == at and left.runs_on_into(right):
            joined = replace(left, length=left.length + right.length, fade_out=right.fade_out)
            return [*clips[:index], joined, *clips[index + 2 :]]
    return clips
