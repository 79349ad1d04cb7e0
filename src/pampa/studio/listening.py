"""Hearing an episode: any piece of it as it will go out, and its loudness as it now stands."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, replace
from functools import partial
from pathlib import Path
from typing import get_args

from cachetools import LRUCache

from pampa.core.deliver.limiter import Limited, reach_of
from pampa.core.errors import Cancelled, EditRefused
from pampa.core.executor import Threads, Urgency, urgent
from pampa.core.files.stood import keep_stood, stood
from pampa.core.loudness import Loudness, LoudnessPart, summarise
from pampa.core.loudness.gating import short_term_curve
from pampa.core.mend.clean import Told
from pampa.core.mix.plan import plan_of
from pampa.core.mix.render import Mix
from pampa.core.mix.standing import standing_loudness, stretches
from pampa.core.mix.steps import Steps, steps_back, talk_in_episode
from pampa.core.mix.stretch import HOP, stretch
from pampa.core.rendition import Rendition
from pampa.core.room_tone import Tone
from pampa.core.sound import RATE, Curve, FloatArray, db_to_gain
from pampa.core.sync.clocked import clocked_curve
from pampa.core.timeline.cutting import put_back, take_out
from pampa.core.timeline.document import BusName, Document, Track, Under
from pampa.core.timeline.laying import lay
from pampa.core.timeline.mending import amounts_in
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import STAGES
from pampa.store.media import Media
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.sounds import Sounds

CEILING_DBTP = -1.0
LONGEST_S = 30
MEASURING = "pampa-loudness"
PARTS_KEPT = 20_000
MIXES_KEPT = 32
SETTLED_S = 0.4
"""Loudness is measured of what has stood for so long: not of each step of a slider, nor before it can be heard."""
WORTH_KEEPING = 12
"""So many stretches that are not in the file yet, a minute of sound, are worth to be written."""


@dataclass(frozen=True)
class Chunk:
    """A piece of sound for the player. next_start and tail go into the request for the piece after it."""

    sound: FloatArray
    revision: int
    next_start: int
    tail: int | None


@dataclass(frozen=True)
class Standing:
    """The loudness of an episode as it stood at a revision."""

    revision: int
    loudness: Loudness
    short_term_lufs: list[float | None]


@dataclass(frozen=True)
class Laid:
    """A stretch of a recording of music, and where it begins in the episode, in frames."""

    recording: int
    source: int
    length: int
    start: int


class Listening:
    """Renders for the ears and for the meters."""

    def __init__(self, media: Media, editing: Editing, sounds: Sounds, events: Events, executor: Threads) -> None:
        self._media, self._editing, self._sounds = media, editing, sounds
        self._events, self._executor = events, executor
        self._lock = threading.Lock()
        self._measured = threading.Lock()
        self._mixes: LRUCache[tuple[object, ...], Mix] = LRUCache(MIXES_KEPT)
        self._parts: OrderedDict[bytes, LoudnessPart] = OrderedDict()
        self._stood: dict[int, frozenset[bytes]] = {}
        self._standing: dict[int, Standing] = {}
        self._measuring: set[int] = set()
        self._closing = threading.Event()

    def mix(self, state: State, *, treated: bool = True, only: frozenset[int] = frozenset(),
            taken: tuple[int, str] | None = None, near: tuple[int, int] | None = None) -> Mix:  # fmt: skip
        """The mix of an episode at a state.

        taken : what a stage takes from the voice on a track, and nothing else. near : a range that is heard next, in
        frames: its sound is computed beside what the mix needs of whole recordings.
        """
        # With more known of a recording, the same document sounds otherwise.
        key = (state.episode_id, state.revision, state.supposed, treated, only, taken, self._sounds.mends.version)
        with self._lock:
            if key in self._mixes:
                return self._mixes[key]
        if taken is not None:
            _check_taken(state.document, *taken)
            made = self._mixed(state.document, True, frozenset([taken[0]]), taken[1], near=near)
        else:
            made = self._mixed(state.document, treated, only, near=near)
        with self._lock:
            self._mixes[key] = made
        return made

    def complete(self, state: State, told: Told) -> None:
        """Measure all that mending still lacks, so that the mix is as it is meant to be."""
        for mending in state.document.mendings:
            self._sounds.measure_mends(mending.recording, amounts_in(state.document, mending.recording), told)

    def sound(self, episode_id: int, *, start: int, frames: int, speed: float = 1.0, tail: int | None = None,
              treated: bool = True, only: frozenset[int] = frozenset(), gain_db: float = 0.0,
              open_seam: int | None = None, without: tuple[int, int] | None = None,
              instead: Mapping[int, Recipe] | None = None, taken: tuple[int, str] | None = None,
              with_piece: Laid | None = None) -> Chunk:  # fmt: skip
        """A piece of the episode for the player, after the loudness gain and under the limiter.

        open_seam : a seam that is heard as if it had been put back. without : a range that is heard as if it had been
        taken out. instead : by track, a recipe that is heard as if it were the track's. taken : a track and a stage of
        its voice, to hear alone what that takes away, as loud as it lies in the mix. with_piece : music that is heard
        as if it had been laid there.
        """
        state = _with_recipes(self._editing.state(episode_id), instead or {})
        if open_seam is not None:
            supposed = (*state.supposed, "open", open_seam)
            state = replace(state, document=put_back(state.document, seam=open_seam), supposed=supposed)
        elif without is not None:
            document = take_out(state.document, start=without[0], stop=without[1])
            state = replace(state, document=document, supposed=(*state.supposed, "without", *without))
        if with_piece is not None:
            laid = lay(state.document, name="heard", kind="music", pieces=[asdict(with_piece)], under_lu=Under().lu)
            state = replace(state, document=laid, supposed=(*state.supposed, "with", with_piece))
        frames = min(frames, LONGEST_S * RATE)
        before, after = reach_of(RATE)
        near = (start - before, start + round(frames * speed) + after)
        mix = self.mix(state, treated=treated, only=only, taken=taken, near=near)
        heard = Limited(mix, db_to_gain(gain_db), db_to_gain(CEILING_DBTP))
        if speed == 1.0:
            return Chunk(heard.read(start, start + frames), state.revision, start + frames, None)
        sound, next_start, tail = stretch(heard, start=start, hops=max(frames // HOP, 1), speed=speed, tail=tail)
        return Chunk(sound, state.revision, next_start, tail)

    def standing(self, episode_id: int, *, wait: bool = False) -> Standing | None:
        """The loudness as last measured; if the episode has changed since, it is measured again.

        Without `wait`, that happens in the background and is told as an event.
        """
        state = self._editing.state(episode_id)
        last = self._standing.get(episode_id)
        if last and last.revision == state.revision:
            return last
        if wait:
            return self._measure(state)
        with self._lock:
            if episode_id in self._measuring:
                return last
            self._measuring.add(episode_id)
        work = partial(self._measure_until_current, episode_id)
        threading.Thread(target=work, name=MEASURING, daemon=True).start()
        return last

    def close(self) -> None:
        """Measure no more of what is being measured in the background."""
        self._closing.set()

    def known(self, episode_id: int) -> Standing | None:
        """The loudness as last measured since the start, without measuring anything."""
        return self._standing.get(episode_id)

    def _measure_until_current(self, episode_id: int) -> None:
        edited = episode_id in self._standing
        try:
            while True:
                state = self._editing.state(episode_id)
                try:
                    if edited:
                        self._closing.wait(SETTLED_S)
                        self._go_on(state)
                    with urgent(Urgency.SEEN):
                        standing = self._measure(state, partial(self._go_on, state))
                except Cancelled:
                    if self._closing.is_set():
                        return
                    edited = True
                    continue
                self._events.post(Event("loudness", episode_id, {"revision": standing.revision}))
                with self._lock:  # whoever asks from here on finds it at rest, and begins it again
                    if self._editing.state(episode_id).revision == state.revision:
                        self._measuring.discard(episode_id)
                        return
        except BaseException:
            with self._lock:
                self._measuring.discard(episode_id)
            raise

    def _go_on(self, state: State) -> None:
        """Raises Cancelled where nobody waits any more for how loud an episode was at a state."""
        if self._closing.is_set() or self._editing.state(state.episode_id).revision != state.revision:
            raise Cancelled

    def buses(self, episode_id: int) -> dict[BusName, float | None]:
        """The integrated loudness of each bus by itself, as it goes to the master; None for one that is silent."""
        mix = self.mix(self._editing.state(episode_id))
        alone = {name: Mix(mix.plan.only(name), mix.sources, mix.steps) for name in get_args(BusName)}
        return {
            name: summarise(self._standing_of(part)).integrated_lufs if part.plan.lanes and part.frames else None
            for name, part in alone.items()
        }

    def _standing_of(
        self, mix: Mix, episode: int | None = None, progress: Callable[[], None] = lambda: None
    ) -> LoudnessPart:
        with self._measured:  # parts are read while it runs: only then some are let go
            if episode is not None and episode not in self._stood:
                found = stood(self._stood_in(episode))
                self._parts.update(found)
                self._stood[episode] = frozenset(found)
            part = standing_loudness(mix, self._parts, self._executor, progress=progress)
            if episode is not None:
                self._keep(episode, mix)
            while len(self._parts) > PARTS_KEPT:
                self._parts.popitem(last=False)
        return part

    def _keep(self, episode: int, mix: Mix) -> None:
        keys = frozenset(each.key for each in stretches(mix))
        if len(keys - self._stood[episode]) >= WORTH_KEEPING:
            keep_stood(self._stood_in(episode), {key: self._parts[key] for key in keys})
            self._stood[episode] = keys

    def _stood_in(self, episode: int) -> Path:
        return self._media.treated(f"loudness-{episode}") / "stretches.npz"

    def _measure(self, state: State, progress: Callable[[], None] = lambda: None) -> Standing:
        part = self._standing_of(self.mix(state), state.episode_id, progress)
        standing = Standing(state.revision, summarise(part), short_term_curve(part.energy))
        self._standing[state.episode_id] = standing
        return standing

    def _mixed(self, document: Document, treated: bool, only: frozenset[int], taken: str | None = None, *,
               near: tuple[int, int] | None = None) -> Mix:  # fmt: skip
        self._side_by_side(document, treated, near)
        heard: dict[tuple[int, int], Rendition] = {}
        levels: dict[Rendition, float] = {}
        frames: dict[int, int] = {}
        tones: dict[int, Tone] = {}
        for track in document.tracks:
            for recording in {clip.recording for clip in track.clips}:
                drift_ppm = document.drift_ppm(recording)
                sound = self._meant(document, track, recording, treated)
                level_db = self._sounds.level_db(recording, sound) if track.linked else 0.0
                if taken and track.id in only:
                    sound = replace(sound, taken=taken)
                heard[track.id, recording] = sound
                frames[recording] = self._sounds.opened(sound).frames
                if track.linked:
                    levels[sound] = level_db
                    if tone := self._sounds.tone(recording, drift_ppm):
                        tones[recording] = tone
        plan = plan_of(document, heard, levels=levels, frames=frames, tones=tones, only=only)
        playing = any(not lane.linked for lane in plan.lanes)
        steps = self.steps(document, treated=treated) if playing else {}
        return Mix(plan, {sound: self._sounds.opened(sound) for sound in plan.sounds | set(heard.values())}, steps)

    def _side_by_side(self, document: Document, treated: bool, near: tuple[int, int] | None) -> None:
        """Work out at once, on all threads, what takes long of a mix: how loud voices are, and what is heard next."""
        first: list[Callable[[], object]] = []
        then: list[Callable[[], object]] = []
        for track in document.linked_tracks():
            meant = {each: self._meant(document, track, each, treated) for each in {c.recording for c in track.clips}}
            for clip in track.clips:
                if near and (start := max(near[0], clip.start)) < (stop := min(near[1], clip.start + clip.length)):
                    heard, shift = self._sounds.opened(meant[clip.recording]), clip.source - clip.start
                    first.append(partial(heard.hurry, start + shift, stop + shift))
            for recording, sound in meant.items():
                then += self._sounds.behind_level(recording, sound)
        self._executor.at_once(first + then)

    def _meant(self, document: Document, track: Track, recording: int, treated: bool) -> Rendition:
        """Which sound of a recording is heard on a track."""
        drift_ppm = document.drift_ppm(recording)
        if not (treated and track.treated and track.linked):
            return self._sounds.rendition(recording, drift_ppm=drift_ppm)
        amounts = amounts_in(document, recording)
        return self._sounds.rendition(recording, recipe=track.recipe, drift_ppm=drift_ppm, amounts=amounts)

    def steps(self, document: Document, *, treated: bool = True) -> Steps:
        """How far each track of music and effects steps back under the talk."""
        activity: dict[int, Curve] = {}
        played: dict[int, Curve] = {}
        by_depth, by_distance = (
            [t for t in document.tracks if not t.linked and t.clips and (t.under is None) == depth]
            for depth in (True, False)
        )  # fmt: skip
        for track in document.linked_tracks() if by_depth else ():
            for recording in {clip.recording for clip in track.clips}:
                known = self._sounds.analysis(recording).activity
                activity[recording] = clocked_curve(known, document.drift_ppm(recording))
        for track in by_distance:
            for recording in {clip.recording for clip in track.clips}:
                played[recording] = self._sounds.played(recording, document.drift_ppm(recording))
        return steps_back(document, activity, self._spoken(document, treated) if by_distance else {}, played)

    def talk(self, document: Document) -> Curve:
        """How loud the talk is in each 20 ms of an episode, in LUFS; -inf where nobody talks."""
        return talk_in_episode(document, self._spoken(document, True))

    def _spoken(self, document: Document, treated: bool) -> dict[tuple[int, int], Curve]:
        return {
            (track.id, recording): self._sounds.spoken(self._meant(document, track, recording, treated))
            for track in document.linked_tracks() for recording in {clip.recording for clip in track.clips}
        }  # fmt: skip


def _with_recipes(state: State, recipes: Mapping[int, Recipe]) -> State:
    """The episode as if its voices were treated otherwise."""
    document = state.document
    for number, recipe in recipes.items():
        document = document.with_track(replace(document.track(number), recipe=recipe, treated=True))
    return replace(state, document=document, supposed=(*state.supposed, *sorted(recipes.items()))) if recipes else state


def _check_taken(document: Document, number: int, stage: str) -> None:
    track = document.track(number)
    found = next((each for each in STAGES if each.name == stage), None)
    if found is None or not track.treated or not track.linked or not found.is_on(track.recipe):
        raise EditRefused(f"That stage is off for {track.name}, so it takes nothing that could be heard.")
