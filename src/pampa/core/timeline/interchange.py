"""The cut as an OpenTimelineIO document, and back: tracks, clips, gaps, joins and markers.

OpenTimelineIO is the open interchange format of the Academy Software Foundation. What it has no word for, gains and
fades, stands in the metadata of its items under `pampa`, so that our own files lose nothing of a clip.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import count
from typing import Any, cast, get_args

import opentimelineio as otio

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.timeline.arranging import checked_gain
from pampa.core.timeline.document import Clip, Document, Kind, Marker, Track, check, next_id

OWN = "pampa"
CLIP_FACTS = ("gain_db", "fade_in", "fade_out", "muted")


@dataclass(frozen=True)
class Media:
    """A recording as another program finds it: a file name, its length in frames, and the hash of its content."""

    name: str
    frames: int
    sha256: str


def to_otio(document: Document, media: Mapping[int, Media], title: str) -> str:
    """The cut of an episode, as JSON."""
    timeline = otio.schema.Timeline(name=title)
    for track in document.tracks:
        timeline.tracks.append(_track(track, document, media))
    timeline.tracks.markers.extend(
        otio.schema.Marker(name=m.name, marked_range=_range(m.at, 0), metadata={OWN: {"tint": m.tint}})
        for m in document.markers
    )
    return str(timeline.to_json_string(indent=2))


def _track(track: Track, document: Document, media: Mapping[int, Media]) -> otio.schema.Track:
    made = otio.schema.Track(name=track.name, kind=otio.schema.TrackKind.Audio, metadata={OWN: {"kind": track.kind}})
    joins = {seam.at: seam.crossfade for seam in document.seams}
    place = 0
    for clip in track.clips:
        if clip.start > place:
            made.append(otio.schema.Gap(source_range=_range(0, clip.start - place)))
        elif made and clip.start in joins:
            half = otio.opentime.RationalTime(min(joins[clip.start] // 2, clip.length // 2), RATE)
            kind = otio.schema.TransitionTypes.SMPTE_Dissolve
            made.append(otio.schema.Transition(transition_type=kind, in_offset=half, out_offset=half))
        about = media[clip.recording]
        reference = otio.schema.ExternalReference(
            target_url=about.name, available_range=_range(0, about.frames), metadata={OWN: {"sha256": about.sha256}}
        )
        facts = {name: getattr(clip, name) for name in CLIP_FACTS}
        made.append(
            otio.schema.Clip(
                name=about.name, media_reference=reference, source_range=_range(clip.source, clip.length),
                metadata={OWN: facts},
            )
        )  # fmt: skip
        place = clip.end
    return made


def from_otio(text: str, document: Document, media: Mapping[int, Media]) -> Document:
    """The episode with the cut that a file tells of: its tracks' clips and its markers. All else stays.

    Recordings are known by the hash of their content, else by name. Tracks are known by name; others are added.
    Raises EditRefused where it is no such file, or speaks of recordings that the episode does not have.
    """
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:  # the library raises whatever its parser happened to be doing
        raise EditRefused("This is no OpenTimelineIO file that can be read. Nothing was changed.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise EditRefused("This file holds no timeline. Nothing was changed.")
    by_hash = {about.sha256: number for number, about in media.items()}
    by_name = {about.name: number for number, about in media.items()}
    ids = count(next_id(document))
    named = {track.name: track for track in document.tracks}
    told: dict[str, Track] = {}
    for item in timeline.audio_tracks():
        known = named.get(item.name)
        kind = cast(Kind, _own(item).get("kind", "music"))
        track = known or Track(next(ids), item.name or "Track", kind if kind in get_args(Kind) else "music")
        clips = tuple(_clips(item, by_hash, by_name, media, ids))
        told[track.name] = replace(track, clips=clips)
    if not told:
        raise EditRefused("This timeline has no track of sound. Nothing was changed.")
    tracks = [told.pop(track.name, replace(track, clips=())) for track in document.tracks]
    markers = tuple(
        sorted(
            (Marker(next(ids), _frames(m.marked_range.start_time), m.name, _tint(_own(m)))
             for m in timeline.tracks.markers),
            key=lambda m: m.at,
        )
    )  # fmt: skip
    return check(replace(document, tracks=(*tracks, *told.values()), seams=(), markers=markers))


def _clips(track: otio.schema.Track, by_hash: Mapping[str, int], by_name: Mapping[str, int],
           media: Mapping[int, Media], ids: Iterable[int]) -> Iterable[Clip]:  # fmt: skip
    fresh = iter(ids)
    for item in track:
        if not isinstance(item, otio.schema.Clip):
            continue
        reference = item.media_reference
        url = getattr(reference, "target_url", "") or item.name
        number = by_hash.get(_own(reference).get("sha256", ""), by_name.get(url.rsplit("/", 1)[-1]))
        if number is None:
            raise EditRefused(f"This cut uses {url or 'a file'}, which is not in the episode. Bring it in first.")
        source, start = item.trimmed_range(), item.trimmed_range_in_parent()
        first, length = _frames(source.start_time), _frames(source.duration)
        if first + length > media[number].frames:
            raise EditRefused(f"This cut uses more of {url} than there is. Nothing was changed.")
        yield Clip(next(fresh), number, first, _frames(start.start_time), length, **_facts(_own(item)))


def _facts(own: Mapping[str, Any]) -> dict[str, Any]:
    """Gain and fades from our own metadata, whatever another program may have made of them."""
    try:
        return {
            "gain_db": checked_gain(float(own.get("gain_db", 0.0))), "muted": bool(own.get("muted", False)),
            "fade_in": int(own.get("fade_in", 0)), "fade_out": int(own.get("fade_out", 0)),
        }  # fmt: skip
    except (TypeError, ValueError) as error:
        raise EditRefused("This cut has gains or fades that are no numbers. Nothing was changed.") from error


def _tint(own: Mapping[str, Any]) -> int:
    tint = own.get("tint", 0)
    return tint if isinstance(tint, int) and 0 <= tint <= 5 else 0


def _own(item: Any) -> dict[str, Any]:
    return dict(item.metadata.get(OWN, {}))


def _range(start: int, length: int) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, RATE), otio.opentime.RationalTime(length, RATE))


def _frames(time: otio.opentime.RationalTime) -> int:
    return round(time.rescaled_to(RATE).value)
