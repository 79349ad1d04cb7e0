"""Which picture is seen when: stretches of recordings with a picture, as their tracks were cut."""

from collections.abc import Collection
from dataclasses import dataclass
from fractions import Fraction

from pampa.core.sound import RATE
from pampa.core.timeline.document import Clip, Document

RATES = tuple(Fraction(rate) for rate in ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60"))
"""Frame rates in common use, SMPTE and EBU; a picture of an uneven rate gets the nearest of these."""


@dataclass(frozen=True)
class Stretch:
    """Frames of sound `start` to `stop` of the episode show a recording from `source_s` of its own time on.

    pace : seconds of the recording's own time for each second of the episode, which is not 1 where its clock was off.
    """

    start: int
    stop: int
    recording: int
    source_s: float
    pace: float

    def source_at(self, seconds: float) -> float:
        """The recording's own time at a moment of the episode."""
        return self.source_s + (seconds - self.start / RATE) * self.pace


def stretches_of(document: Document, pictured: Collection[int]) -> list[Stretch]:
    """What is seen, in order of time and without overlaps; where nothing has a picture there is a gap.

    pictured : recordings that have one. Of several at a moment the one on the highest track is seen. Whether a track is
    heard does not matter: the camera's own sound is often muted.
    """
    found: list[Stretch] = []
    for track in document.tracks:
        for clip in track.clips:
            if clip.recording in pictured:
                pace = 1 / (1 + document.drift_ppm(clip.recording) * 1e-6)
                found += [_of(clip, start, stop, pace) for start, stop in _free(found, clip.start, clip.end)]
    return sorted(found, key=lambda stretch: stretch.start)


def usual_rate(fps: float) -> Fraction:
    """The frame rate in common use that is nearest to a mean one."""
    return min(RATES, key=lambda rate: abs(float(rate) - fps))


def size_for(width: int, height: int, most_high: int) -> tuple[int, int]:
    """The size of a picture that is not higher than asked, its sides even."""
    scale = min(most_high / height, 1.0)
    wide, high = (max(round(side * scale / 2) * 2, 2) for side in (width, height))
    return wide, high


def _of(clip: Clip, start: int, stop: int, pace: float) -> Stretch:
    return Stretch(start, stop, clip.recording, (clip.source + start - clip.start) * pace / RATE, pace)


def _free(taken: list[Stretch], start: int, stop: int) -> list[tuple[int, int]]:
    """What of a range no stretch takes yet."""
    free = [(start, stop)]
    for each in taken:
        free = [
            part for low, high in free for part in ((low, min(high, each.start)), (max(low, each.stop), high))
            if part[0] < part[1]
        ]  # fmt: skip
    return free
