"""Where episodes go, and how loud they are to be there.

Sources: AES TD1008 (2021) for podcasts and streaming; EBU R 128 (2023); ATSC A/85 (2013). Mono is measured as one
loudspeaker, so the same talk reads 3 LU less than in stereo.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Target:
    """A place by its name, its integrated loudness in LUFS, and whether it takes one channel."""

    name: str
    lufs: float
    mono: bool = False


TARGETS = (
    Target("Podcast, stereo", -16),
    Target("Podcast, mono", -19, mono=True),
    Target("Streaming video", -14),
    Target("Broadcast, Europe", -23),
    Target("Broadcast, America", -24),
)
