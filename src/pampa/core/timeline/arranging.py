"""Edits on single clips and tracks: split, move, trim, gain, fades, tracks and markers."""

from dataclasses import replace
from itertools import count
from typing import Any

from pampa.core.errors import EditRefused, NotFound
from pampa.core.timeline.document import LINKED, Clip, Document, Fade, Kind, Marker, Seam, Track, Under, check, next_id
from pampa.core.timeline.limits import LOUDEST_DB, SOFTEST_DB
from pampa.core.timeline.ranges import join_at, split_at
from pampa.core.voice.recipe import Recipe


def split(document: Document, *, at: int, tracks: list[int] | None = None) -> Document:
    """Divide what lies across a place: on all talk, or on the tracks named."""
    chosen = document.linked_tracks() if tracks is None else tuple(document.track(t) for t in tracks)
    ids = count(next_id(document))
    changed = document
    for track in chosen:
        changed = changed.with_track(replace(track, clips=split_at(track.clips, at, ids)))
    if changed == document:
        raise EditRefused("There is nothing to split here. Put the playhead on a piece of sound.")
    return check(changed)


def join(document: Document, *, at: int) -> Document:
    """Make one of two clips that meet at a place, on every track where sound runs on from one into the other."""
    tracks = tuple(replace(track, clips=tuple(join_at(list(track.clips), at))) for track in document.tracks)
    if tracks == document.tracks:
        raise EditRefused("Nothing was split here, or it does not run on any more. Nothing was changed.")
    return check(replace(document, tracks=tracks))


def move(document: Document, *, clip: int, start: int, track: int | None = None, following: bool = False) -> Document:
    """Move one clip to another time, or to another track.

    following : all that comes after it on its track moves as far, the gaps between stay.
    """
    home, moved = document.find_clip(clip)
    if start < 0:
        raise EditRefused("A piece cannot start before the beginning. Nothing was changed.")
    if following:
        if home.linked:
            raise EditRefused("Talk moves together with everybody: take out or put in time instead.")
        clips = tuple(c if c.start < moved.start else c.moved(start - moved.start) for c in home.clips)
        return check(document.with_track(replace(home, clips=clips)))
    target = home if track is None else document.track(track)
    document = document.with_track(replace(home, clips=tuple(c for c in home.clips if c.id != clip)))
    return _with_clip(document, target.id, replace(moved, start=start))


def trim(document: Document, *, clip: int, edge: str, at: int, frames: int, following: bool = False) -> Document:
    """Move the start or the end of a clip to `at`, uncovering or hiding sound. `frames`: of its recording.

    following : what comes after on its track moves with the end, so that no gap is left and nothing is covered.
    """
    track, old = document.find_clip(clip)
    if following and track.linked:
        raise EditRefused("Talk closes up for everybody: take the stretch out instead, or drag the side of its seam.")
    if edge == "start":
        at = max(at, old.start - old.source, 0)
        new = replace(old, source=old.source + at - old.start, start=at, length=old.end - at)
    else:
        at = min(at, old.start + frames - old.source)
        new = replace(old, length=at - old.start)
    if new.length <= 0:
        raise EditRefused("That would leave nothing of the piece. Take it out instead. Nothing was changed.")
    fade_in = min(new.fade_in, new.length)
    new = replace(new, fade_in=fade_in, fade_out=min(new.fade_out, new.length - fade_in))
    clips = _replaced(track, new)
    if following:
        # With the start trimmed, the clip itself stays where it began; what follows closes up to its new end.
        new = replace(new, start=old.start) if edge == "start" else new
        by = new.length - old.length
        clips = tuple(new if c.id == clip else c if c.start < old.start else c.moved(by) for c in track.clips)
    return check(document.with_track(replace(track, clips=clips)))


def slip(document: Document, *, clip: int, by: int, frames: int) -> Document:
    """Slide the sound under a clip: it begins `by` frames later in its recording, which has `frames` of them."""
    track, old = document.find_clip(clip)
    source = min(max(old.source + by, 0), max(frames - old.length, 0))
    if source == old.source:
        raise EditRefused("The recording has no more sound on that side. Nothing was changed.")
    return check(document.with_track(replace(track, clips=_replaced(track, replace(old, source=source)))))


def set_clip(
    document: Document, *, clip: int, gain_db: float | None = None, fade_in: int | None = None,
    fade_out: int | None = None, muted: bool | None = None, shape_in: Fade | None = None, shape_out: Fade | None = None,
) -> Document:  # fmt: skip
    """Change a clip's gain or fades (in frames) and their shapes, or whether it is heard."""
    track, old = document.find_clip(clip)
    new = replace(
        old,
        gain_db=old.gain_db if gain_db is None else checked_gain(gain_db),
        shape_in=shape_in or old.shape_in,
        shape_out=shape_out or old.shape_out,
        fade_in=old.fade_in if fade_in is None else fade_in,
        fade_out=old.fade_out if fade_out is None else fade_out,
        muted=old.muted if muted is None else muted,
    )
    return check(document.with_track(replace(track, clips=_replaced(track, new))))


def remove_clip(document: Document, *, clip: int) -> Document:
    """Take one clip away and leave its room."""
    track, _ = document.find_clip(clip)
    return document.with_track(replace(track, clips=tuple(c for c in track.clips if c.id != clip)))


def add_clip(
    document: Document, *, track: int, recording: int, start: int, length: int, source: int = 0,
    gain_db: float = 0.0, fade_in: int = 0, fade_out: int = 0,
) -> Document:  # fmt: skip
    """Put a stretch of a recording onto a track."""
    clip = Clip(next_id(document), recording, source, start, length, checked_gain(gain_db), fade_in, fade_out)
    return _with_clip(document, track, clip)


def add_track(
    document: Document, *, name: str, kind: Kind, at: int | None = None, under_lu: float | None = None
) -> Document:
    """Add an empty track: as the one with `at` tracks above it, or at the end.

    under_lu : how far under the talk it lies, if it is one of music or effects; None as the episode's depth says.
    """
    under = None if under_lu is None or kind in LINKED else Under(under_lu)
    track = Track(next_id(document), _name(name), kind, treated=kind in LINKED, under=under)
    at = len(document.tracks) if at is None else at
    return replace(document, tracks=(*document.tracks[:at], track, *document.tracks[at:]))


def bring_in(
    document: Document, *, name: str, kind: Kind, recording: int, length: int, start: int = 0, track: int | None = None,
    drift_ppm: float = 0.0, at: int | None = None, under_lu: float | None = None,
) -> Document:  # fmt: skip
    """Put a whole recording onto a track of its own, or after what lies on `track`, with a clock that is known."""
    document = document.with_drift(recording, drift_ppm)
    if track is None:
        track = next_id(document)
        document = add_track(document, name=name, kind=kind, at=at, under_lu=under_lu)
    else:
        clips = document.track(track).clips
        start = max(start, clips[-1].end if clips else 0)
    return add_clip(document, track=track, recording=recording, start=start, length=length)


def remove_track(document: Document, *, track: int) -> Document:
    """Take a track away with all that lies on it. The recordings stay."""
    document.track(track)
    seams = tuple(_without_track(seam, track) for seam in document.seams)
    return replace(document, tracks=tuple(t for t in document.tracks if t.id != track), seams=seams)


def set_track(
    document: Document, *, track: int, name: str | None = None, kind: Kind | None = None,
    gain_db: float | None = None, muted: bool | None = None, treated: bool | None = None,
    pinned: bool | None = None,
) -> Document:  # fmt: skip
    """Rename a track, or change its kind, gain, or whether it is muted, treated or pinned."""
    old = document.track(track)
    new = replace(
        old,
        name=old.name if name is None else _name(name),
        kind=old.kind if kind is None else kind,
        gain_db=old.gain_db if gain_db is None else checked_gain(gain_db),
        muted=old.muted if muted is None else muted,
        treated=old.treated if treated is None else treated,
        pinned=old.pinned if pinned is None else pinned,
    )
    return check(document.with_track(new))


def set_recipe(document: Document, *, track: int, recipe: dict[str, float]) -> Document:
    """Change how a person's voice is treated."""
    return document.with_track(replace(document.track(track), recipe=Recipe(**recipe)))


def set_ducking(document: Document, *, depth_db: float) -> Document:
    """How far music and effects step back under talk, in dB."""
    return replace(document, ducking=replace(document.ducking, depth_db=depth_db))


def add_marker(document: Document, *, at: int, name: str = "") -> Document:
    """Mark a place."""
    marker = Marker(next_id(document), at, name.strip()[:200])
    markers = sorted([*document.markers, marker], key=lambda m: (m.at, m.id))
    return check(replace(document, markers=tuple(markers)))


def add_markers(document: Document, *, markers: list[list[Any]]) -> Document:
    """Mark several places at once. markers : place and name of each."""
    ids = count(next_id(document))
    added = [Marker(next(ids), at, text.strip()[:200]) for at, text in markers]
    together = sorted([*document.markers, *added], key=lambda m: (m.at, m.id))
    return check(replace(document, markers=tuple(together)))


def set_marker(
    document: Document, *, marker: int, name: str | None = None, at: int | None = None, tint: int | None = None,
    chapter: bool | None = None, link: str | None = None, picture: str | None = None,
) -> Document:  # fmt: skip
    """Name a marker, move it, colour the section that it begins, or say what its chapter is to listeners.

    tint : 1 to 5, or 0 for none. link : an address on the web. picture : the hash of an artwork. Both empty for none.
    """
    old = _marker(document, marker)
    if link and not link.startswith(("https://", "http://")):
        raise EditRefused("The link of a chapter begins with https:// or http://. Nothing was changed.")
    name = None if name is None else name.strip()[:200]
    told: dict[str, Any] = {
        "name": name, "at": at, "tint": tint, "chapter": chapter, "link": link, "picture": picture,
    }  # fmt: skip
    new = replace(old, **{key: value for key, value in told.items() if value is not None})
    markers = sorted((new if m.id == marker else m for m in document.markers), key=lambda m: (m.at, m.id))
    return check(replace(document, markers=tuple(markers)))


def remove_marker(document: Document, *, marker: int) -> Document:
    """Take a marker away."""
    _marker(document, marker)
    return replace(document, markers=tuple(m for m in document.markers if m.id != marker))


def _marker(document: Document, marker: int) -> Marker:
    found = next((m for m in document.markers if m.id == marker), None)
    if found is None:
        raise NotFound("That marker is not in the episode any more. Nothing was changed.")
    return found


def _with_clip(document: Document, track_id: int, clip: Clip) -> Document:
    track = document.track(track_id)
    clips = tuple(sorted([*track.clips, clip], key=lambda c: c.start))
    return check(document.with_track(replace(track, clips=clips)))


def _replaced(track: Track, new: Clip) -> tuple[Clip, ...]:
    return tuple(new if clip.id == new.id else clip for clip in track.clips)


def _without_track(seam: Seam, track: int) -> Seam:
    pieces = tuple(piece for piece in seam.pieces if piece.track != track)
    return replace(seam, pieces=pieces, seams=tuple(_without_track(inner, track) for inner in seam.seams))


def checked_gain(gain_db: float) -> float:
    """A gain that a clip or track may have, in dB. Raises EditRefused for any other."""
    if not SOFTEST_DB <= gain_db <= LOUDEST_DB:
        raise EditRefused(f"A gain lies between {SOFTEST_DB:.0f} and +{LOUDEST_DB:.0f} dB. Nothing was changed.")
    return float(gain_db)


def _name(name: str) -> str:
    name = name.strip()[:80]
    if not name:
        raise EditRefused("A track needs a name. Nothing was changed.")
    return name
