"""Edits on the bars of a piece of music: a stretch of it repeated, or left out, with what follows of it moved along."""

from dataclasses import replace

from pampa.core.errors import EditRefused
from pampa.core.timeline.cutting import SHORTEST
from pampa.core.timeline.document import Clip, Document, Track, check, next_id


def repeat_part(document: Document, *, clip: int, start: int, stop: int) -> Document:
    """Play a stretch of a piece once more: what follows of it, and of its track up to the next gap, comes later."""
    track, old = _of_music(document, clip, start, stop)
    number = next_id(document)
    first = replace(old, length=stop - old.start, fade_out=0)
    again = replace(
        old, id=number, source=old.source + start - old.start, start=stop, length=old.end - start, fade_in=0
    )
    return _with(document, track, old, (first, again), stop - start)


def leave_out_part(document: Document, *, clip: int, start: int, stop: int) -> Document:
    """Leave a stretch of a piece out: what follows of it comes sooner."""
    track, old = _of_music(document, clip, start, stop)
    parts = []
    if start > old.start:
        parts.append(replace(old, length=start - old.start, fade_out=0))
    if stop < old.end:
        number = next_id(document) if parts else old.id
        source, fade_in = old.source + stop - old.start, 0 if parts else old.fade_in
        parts.append(
            replace(old, id=number, source=source, start=start, length=old.end - stop, fade_in=fade_in)
        )  # fmt: skip
    if not parts:
        raise EditRefused("That is the whole piece. Remove it instead. Nothing was changed.")
    return _with(document, track, old, tuple(parts), start - stop)


def _of_music(document: Document, clip: int, start: int, stop: int) -> tuple[Track, Clip]:
    track, old = document.find_clip(clip)
    if track.linked:
        raise EditRefused("Only music has bars to repeat or leave out. Nothing was changed.")
    if not old.start <= start < stop <= old.end or stop - start < SHORTEST:
        raise EditRefused("That stretch does not lie in the piece. Nothing was changed.")
    return track, old


def _with(document: Document, track: Track, old: Clip, parts: tuple[Clip, ...], by: int) -> Document:
    """Parts in a clip's place; what followed it without a gap stays beside it."""
    parts = tuple(_with_fades(part) for part in parts)
    clips: list[Clip] = []
    end = old.end
    for clip in track.clips:
        if clip.id == old.id:
            clips += parts
        elif clip.start > old.start and clip.start == end:
            end = clip.end
            clips.append(clip.moved(by))
        else:
            clips.append(clip)
    return check(document.with_track(replace(track, clips=tuple(clips))))


def _with_fades(clip: Clip) -> Clip:
    """A part that is shorter than its fades has shorter ones."""
    fade_in = min(clip.fade_in, clip.length)
    return replace(clip, fade_in=fade_in, fade_out=min(clip.fade_out, clip.length - fade_in))
