"""Where one track was cleared and its room left, the room it was recorded in goes on.

Digital silence in the middle of a recorded room is heard as a hole. It is filled from the recording's own quietest
place, over and over with cross-fades, as one would lay it by hand.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from pampa.core.room_tone import Tone
from pampa.core.sound import RATE
from pampa.core.timeline.document import JOIN, Clip, Seam, Track

CROSSING = RATE // 20


@dataclass(frozen=True)
class Patch:
    """A stretch of tone on the timeline, `[start, stop)`, that crosses over into what is around it.

    clip : what had been there: whose recording, and how loud it was.
    """

    clip: Clip
    start: int
    stop: int
    source: int
    fade_in: int
    fade_out: int
    gain_db: float = 0.0


def patches(track: Track, seams: Sequence[Seam], tones: Mapping[int, Tone]) -> Iterator[Patch]:
    """Tone for all that was cleared or muted on a track and where nothing else sounds, in order of time."""
    cleared = [
        clip.moved(seam.at)
        for seam in seams if not seam.closed
        for piece in seam.pieces if piece.track == track.id
        for clip in piece.clips
    ]  # fmt: skip
    cleared += [clip for clip in track.clips if clip.muted]
    for clip in sorted(cleared, key=lambda clip: clip.start):
        tone = tones.get(clip.recording)
        if tone is None or tone.stop - tone.start < 4 * CROSSING:
            continue
        gain_db = tone.gain_db(clip.source, clip.source_end)
        for start, stop in _free(track, clip):
            for patch in _laid(clip, tone, start - JOIN // 2, stop + JOIN // 2):
                yield replace(patch, gain_db=gain_db)


def _free(track: Track, clip: Clip) -> Iterator[tuple[int, int]]:
    """What of a cleared clip's room nothing else lies in."""
    at = clip.start
    for other in track.clips:
        if not other.muted and other.end > at and other.start < clip.end:
            if other.start > at:
                yield at, other.start
            at = other.end
    if at < clip.end:
        yield at, clip.end


def _laid(clip: Clip, tone: Tone, start: int, stop: int) -> Iterator[Patch]:
    at, length = start, tone.stop - tone.start
    while at < stop:
        end = min(at + length, stop)
        # A last piece too short to cross into is not begun: the one before it ends where the room does.
        fade_in = min(JOIN if at == start else CROSSING, (end - at) // 2)
        fade_out = min(JOIN if end == stop else CROSSING, (end - at) // 2)
        yield Patch(clip, max(at, 0), end, tone.start + max(-at, 0), fade_in, fade_out)
        if end == stop:
            return
        at = end - CROSSING
