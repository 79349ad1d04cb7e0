"""Two documents of an episode side by side: where the same words lie in both, and what somebody has changed."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields

from pampa.core.compare.stretches import Stretch, joined, place_there
from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE
from pampa.core.timeline.document import Bus, Clip, Document, Track
from pampa.core.timeline.versions import compare

BRIDGED_S = 0.05
MOVED_S = 0.05
JUST_S = 0.001
"""Just before a seam: what is missing begins in the other where that ends."""
TOLD = 3
"""Settings of a voice that are named; the rest is counted."""


@dataclass(frozen=True)
class Difference:
    """One thing that differs. here_s, there_s : where, in the one and in the other; None where it is not in that."""

    told: str
    here_s: float | None = None
    there_s: float | None = None


def stretches_of(here: Document, there: Document) -> list[Stretch]:
    """Where the same words lie, by the people's recordings; by music where nobody talks."""
    tracks = [track for track in here.linked_tracks() if track.clips] or [t for t in here.tracks if t.clips]
    lying: dict[int, list[Clip]] = {}
    for track in there.tracks:
        for clip in track.clips:
            lying.setdefault(clip.recording, []).append(clip)
    found = []
    for track in tracks:
        for clip in track.clips:
            for other in lying.get(clip.recording, ()):
                first, last = max(clip.source, other.source), min(clip.source_end, other.source_end)
                if last > first:
                    at, its = clip.start + first - clip.source, other.start + first - other.source
                    found.append(Stretch(at / RATE, its / RATE, (last - first) / RATE))
    return joined(found, apart_s=BRIDGED_S)


def differences(here: Document, there: Document, stretches: Sequence[Stretch], names: Mapping[int, str]
                ) -> list[Difference]:  # fmt: skip
    """What is different in the other. names : of recordings."""
    told = [*_seams(here, there, stretches), *_tracks(here, there, stretches), *_mendings(here, there, names),
            *_buses(here, there), *_markers(here, there, stretches)]  # fmt: skip
    return sorted(told, key=_in_time)


def _in_time(each: Difference) -> tuple[bool, float]:
    """In order of time, what is about all of it last."""
    at = each.here_s if each.there_s is None else each.there_s
    return at is None, at or 0.0


def _seams(here: Document, there: Document, stretches: Sequence[Stretch]) -> Iterator[Difference]:
    told = compare(there, here)
    back = [each.turned for each in stretches]
    for seam in told.only_here:
        verb = "Taken out" if seam.closed else "Cleared"
        at = seam.at / RATE
        yield Difference(f"{verb}: {seam.length / RATE:.1f} s", place_there(back, at - JUST_S), at)
    for seam in told.only_there:
        at = seam.at / RATE
        yield Difference(f"Put back: {seam.length / RATE:.1f} s", at, place_there(stretches, at - JUST_S))


def _tracks(here: Document, there: Document, stretches: Sequence[Stretch]) -> Iterator[Difference]:
    ours, theirs = ({track.id: track for track in document.tracks} for document in (here, there))
    for number, track in ours.items():
        if number not in theirs:
            yield Difference(f"Track {track.name} is gone.", _begin(track), None)
    for number, track in theirs.items():
        if number not in ours:
            yield Difference(f"Track {track.name} is new.", None, _begin(track))
            continue
        before = ours[number]
        if words := _settings(before, track):
            yield Difference(f"{track.name}: {', '.join(words)}")
        yield from _clips(before, track, stretches) if not track.linked else _words(before, track)


def _settings(before: Track, after: Track) -> list[str]:
    """What is set otherwise on a track, in words."""
    told = []
    if before.gain_db != after.gain_db:
        told.append(f"gain {before.gain_db:+.1f} → {after.gain_db:+.1f} dB")
    if before.muted != after.muted:
        told.append("muted" if after.muted else "heard again")
    if before.treated != after.treated:
        told.append("treated" if after.treated else "as recorded")
    elif after.treated and before.recipe != after.recipe:
        told += _changed(before.recipe, after.recipe)
    if before.under != after.under and after.under:
        told.append(f"{after.under.lu:g} LU under the talk")
    if before.sends != after.sends:
        told.append("sent to the room otherwise")
    if before.special != after.special:
        told.append(f"heard as {after.special.kind}" if after.special else "no special voice")
    return told


def _changed(before: object, after: object) -> list[str]:
    """Fields of two values of one kind that differ."""
    told = [
        f"{field.name.removesuffix('_db').removesuffix('_hz').replace('_', ' ')} {was:g} → {now:g}"
        for field in fields(after)  # type: ignore[arg-type]
        if (was := getattr(before, field.name)) != (now := getattr(after, field.name))
        and isinstance(was, int | float) and isinstance(now, int | float)
    ]  # fmt: skip
    return told if len(told) <= TOLD else [*told[:TOLD], f"{len(told) - TOLD} more"]


def _clips(before: Track, after: Track, stretches: Sequence[Stretch]) -> Iterator[Difference]:
    """Music and effects: pieces that came, went, moved, or sound otherwise."""
    ours = {(clip.recording, clip.source, clip.length): clip for clip in before.clips}
    theirs = {(clip.recording, clip.source, clip.length): clip for clip in after.clips}
    for key, clip in ours.items():
        if key not in theirs:
            yield Difference(f"{after.name}: a piece is gone or cut otherwise.", clip.start / RATE, None)
    for key, clip in theirs.items():
        at = clip.start / RATE
        was = ours.get(key)
        if was is None:
            yield Difference(f"{after.name}: a piece is new or cut otherwise.", None, at)
        elif abs(place_there(stretches, was.start / RATE) - at) > MOVED_S:
            yield Difference(f"{after.name}: a piece was moved.", was.start / RATE, at)
        elif _sounds_otherwise(was, clip):
            yield Difference(f"{after.name}: a piece sounds otherwise.", was.start / RATE, at)


def _words(before: Track, after: Track) -> Iterator[Difference]:
    """Talk: stretches that are louder, muted, bent or through a special voice."""
    for clip in after.clips:
        for was in before.clips:
            meets = clip.recording == was.recording and clip.source < was.source_end and was.source < clip.source_end
            if meets and _sounds_otherwise(was, clip):
                first = max(clip.source, was.source)
                here, there = was.start + first - was.source, clip.start + first - clip.source
                yield Difference(f"{after.name}: a stretch sounds otherwise.", here / RATE, there / RATE)
                break


def _sounds_otherwise(a: Clip, b: Clip) -> bool:
    return (a.gain_db, a.muted, a.envelope, a.special, a.sends) != (b.gain_db, b.muted, b.envelope, b.special, b.sends)


def _mendings(here: Document, there: Document, names: Mapping[int, str]) -> Iterator[Difference]:
    ours, theirs = ({each.recording: each.amounts for each in document.mendings} for document in (here, there))
    for recording in sorted({*ours, *theirs}):
        before, after = ours.get(recording, Amounts()), theirs.get(recording, Amounts())
        if before != after:
            words = _changed(before, after) or ["otherwise"]
            yield Difference(f"{names.get(recording, 'A recording')}, mended: {', '.join(words)}")


def _buses(here: Document, there: Document) -> Iterator[Difference]:
    ours, theirs = ({bus.name: bus for bus in document.buses} for document in (here, there))
    for name in sorted({*ours, *theirs}):
        before, after = ours.get(name, Bus(name)), theirs.get(name, Bus(name))
        if before != after:
            words = _changed(before, after)
            if before.muted != after.muted:
                words.append("muted" if after.muted else "heard again")
            yield Difference(f"Bus {name}: {', '.join(words) or 'another room'}")


def _markers(here: Document, there: Document, stretches: Sequence[Stretch]) -> Iterator[Difference]:
    ours, theirs = ({marker.id: marker for marker in document.markers} for document in (here, there))
    for number, marker in ours.items():
        if number not in theirs:
            yield Difference(f"Marker {marker.name or 'without a name'} is gone.", marker.at / RATE,
                             place_there(stretches, marker.at / RATE))  # fmt: skip
    for number, marker in theirs.items():
        was = ours.get(number)
        if was is None:
            yield Difference(f"Marker {marker.name or 'without a name'} is new.", None, marker.at / RATE)
        elif was.name != marker.name:
            yield Difference(f"Marker {was.name or 'without a name'} is called {marker.name or 'nothing'} now.",
                             was.at / RATE, marker.at / RATE)  # fmt: skip


def _begin(track: Track) -> float | None:
    return track.clips[0].start / RATE if track.clips else None
