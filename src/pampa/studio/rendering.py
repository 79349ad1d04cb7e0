"""Mixes rendered once and kept for a while, beside other treated sound: several files are made of one."""

from functools import partial

from pampa.core.files.kept import Kept
from pampa.core.mix.key import mix_key
from pampa.core.mix.render import Mix
from pampa.core.sound import FloatArray, Segment, Source
from pampa.store.media import Media
from pampa.studio.editing import State
from pampa.studio.jobs import Progress
from pampa.studio.listening import Listening


class Rendering:
    """Rendered mixes of all episodes."""

    def __init__(self, media: Media, listening: Listening) -> None:
        self._media, self._listening = media, listening

    def rendered(self, state: State, progress: Progress) -> Source:
        """The mix of an episode, every mend measured: segments are rendered when they are first read.

        Where the disk is too full to keep them they are rendered again each time.
        """
        self._listening.complete(state, lambda doing, share: progress(doing, 0.0))
        mix = self._listening.mix(state)
        folder = self._media.treated(f"mix-{mix_key(mix)}")
        return Kept(folder, mix.channels, mix.frames, partial(_segment, mix))


def _segment(mix: Mix, segment: Segment) -> FloatArray:
    return mix.read(segment.start, segment.stop)
