"""Each step of going straight through: what it would do in an episode, and doing it, by edits like any others."""

from dataclasses import asdict, dataclass
from typing import Any

from pampa.core.errors import PampaError
from pampa.core.mend.amounts import Amounts, amounts_in_words
from pampa.core.purpose.kind import SURE
from pampa.core.sound import RATE
from pampa.core.straight.cuts import cuts_for
from pampa.core.straight.steps import Done, Wants
from pampa.core.timeline.document import Document, Track
from pampa.core.timeline.edits import EDITS
from pampa.core.timeline.in_step import recordings_of
from pampa.core.timeline.openings import USUAL_S
from pampa.core.voice.recipe import Recipe
from pampa.studio.about import About
from pampa.studio.editing import Editing
from pampa.studio.finding import Finding
from pampa.studio.jobs import Progress
from pampa.studio.lining_up import LiningUp, Measured
from pampa.studio.mending import Mending
from pampa.studio.music import Music
from pampa.studio.one_room import OneRoom
from pampa.studio.patterns import Around, Patterns
from pampa.studio.recipes import Recipes, main_recording
from pampa.studio.recordings import Recording, Recordings
from pampa.studio.sending import Wanted
from pampa.studio.shows import Shows
from pampa.studio.voices import Voices

USUAL_FILE = {
    "name": "Podcast, stereo", "kind": "mp3", "bits": 24, "kbit": 160, "quality": None, "rate": 48000,
    "broadcast": False, "target_lufs": -16.0, "ceiling_dbtp": -1.0, "mono": False, "ticked": True,
}  # fmt: skip
CUTS = {"silences": "silence", "fillers": "filler", "chatter": "chatter"}
SAID = {"silences": "silences shortened", "fillers": "fillers taken out", "chatter": "stretches of talk taken out"}
Told = tuple[list[str], list[str]]
"""Sentences of what is done, and of what a person has to look at."""


@dataclass(frozen=True)
class Tools:
    """The use cases that the steps are made of."""

    shows: Shows
    editing: Editing
    recordings: Recordings
    lining_up: LiningUp
    finding: Finding
    mending: Mending
    voices: Voices
    recipes: Recipes
    music: Music
    patterns: Patterns
    about: About
    one_room: OneRoom


class Steps:
    """The steps in an episode, by its number. What a person decided is left as it is by each of them."""

    def __init__(self, tools: Tools) -> None:
        self._of = tools

    # -- looking ----------------------------------------------------------------------------------------------

    def look_ahead(self, episode_id: int, progress: Progress) -> None:
        """Measure what is not known yet, so that everything can be told before any of it is done."""
        wanted = self._to_measure(episode_id)
        if wanted is not None:
            self._of.lining_up.measure(
                episode_id, *wanted, lambda doing, share: progress(doing, 0.5 * share)
            )  # fmt: skip
        document = self.lined_up(episode_id)
        if self._of.finding.known(episode_id, document) is None:
            self._of.finding.look(episode_id, document, lambda doing, share: progress(doing, 0.5 + 0.5 * share))

    def lined_up(self, episode_id: int) -> Document:
        """The episode as it will be once everybody lies in step."""
        document = self._of.editing.state(episode_id).document
        told = self._of.lining_up.told(episode_id)
        if told is None:
            return document
        return EDITS["line_up"].make(document, tracks=told["tracks"], room=told["room"])

    def troubles(self, episode_id: int) -> list[str]:
        """What no step can do anything about."""
        told = []
        for recording in self._of.recordings.of_episode(episode_id):
            if recording.state == "failed":
                told.append(f"{recording.name} is left out. {recording.error}")
            elif _in_doubt(recording):
                told.append(f"{recording.name} is taken for {recording.role}; say what it is if that is wrong.")
            elif recording.role == "person" and not recording.facts.get("speech_lufs"):
                told.append(f"Nobody is heard on {recording.person or recording.name}.")
        return told

    # -- line up ----------------------------------------------------------------------------------------------

    def plan_line_up(self, episode_id: int) -> Told:
        names = self._names(episode_id)
        told = self._of.lining_up.told(episode_id)
        moving = {move["recording"] for move in told["tracks"]} if told else set()
        lines, needs = [], []
        for proposal in self._of.lining_up.proposals(episode_id):
            measured = proposal.measured
            name = names.get(measured.recording, "")
            if not measured.found.matched:
                needs.append(f"{name} was not found in {names.get(measured.reference, 'the reference')}: "
                             f"{measured.found.reason or 'they do not sound like the same conversation.'}")  # fmt: skip
                continue
            if measured.recording in moving:
                lines.append(_placed(name, measured))
            if not measured.by_hand and measured.found.confidence < SURE:
                needs.append(
                    f"{name} may lie elsewhere ({measured.found.confidence * 100:.0f} % sure): listen in Line up."
                )
        return lines, needs

    def do_line_up(self, episode_id: int) -> Done:
        told, needs = self.plan_line_up(episode_id)
        if self._of.lining_up.told(episode_id) is not None:
            self._of.lining_up.apply(episode_id)
        return Done("line-up", tuple(told), tuple(needs))

    def _to_measure(self, episode_id: int) -> tuple[int, list[int]] | None:
        """The reference, and whose recordings are to be measured against it; None where that is done."""
        ready = {r.id: r for r in self._of.recordings.of_episode(episode_id) if r.state == "ready"}
        people = [number for number in recordings_of(self._of.editing.state(episode_id).document, "person")
                  if number in ready]  # fmt: skip
        call = next((number for number, r in ready.items() if r.role == "reference"), None)
        known = {p.measured.recording for p in self._of.lining_up.proposals(episode_id)}
        reference = call if call is not None else people[0] if people else None
        alike = {ready[reference].sha256} if reference is not None else set()
        left = [n for n in people if n != reference and n not in known and ready[n].sha256 not in alike]
        return (reference, left) if reference is not None and left else None

    # -- mend -------------------------------------------------------------------------------------------------

    def plan_mend(self, episode_id: int) -> Told:
        names = self._names(episode_id)
        return [f"{names[number]}: {amounts_in_words(amounts)}." for number, amounts in self._to_mend(episode_id)], []

    def do_mend(self, episode_id: int, progress: Progress) -> Done:
        told, _ = self.plan_mend(episode_id)
        names, undo = self._names(episode_id), []
        for number, amounts in self._to_mend(episode_id):
            edit = {"recordings": [number], "name": names[number]}
            self._of.editing.edit(episode_id, "mend", {**edit, "amounts": asdict(amounts)})
            undo.append({"edit": "mend", **edit, "amounts": {}})
        self._of.mending.measure_all(self._of.editing.state(episode_id).document, progress)
        return Done("mend", tuple(told), undo={"edits": undo})

    def _to_mend(self, episode_id: int) -> list[tuple[int, Amounts]]:
        document = self._of.editing.state(episode_id).document
        decided = {mending.recording for mending in document.mendings}
        lying = [n for kind in ("person", "spot") for n in recordings_of(document, kind) if n not in decided]
        return [(n, amounts) for n in lying if (amounts := self._of.mending.proposed(n)) != Amounts()]

    # -- one room ---------------------------------------------------------------------------------------------

    def plan_room(self, episode_id: int) -> Told:
        document = self.lined_up(episode_id)
        if self._of.finding.known(episode_id, document) is None:
            return [], []
        room = self._of.one_room.undone(document)
        return (self._of.one_room.told(room, self._names(episode_id)) if room else []), []

    def do_room(self, episode_id: int, progress: Progress) -> Done:
        document = self._of.editing.state(episode_id).document
        room = self._of.one_room.undone(document)
        if room is None:
            return Done("room")
        told = self._of.one_room.told(room, self._names(episode_id))
        before = self._of.one_room.mix(episode_id)
        self._of.mending.measure_all(self._of.editing.state(episode_id).document, progress)
        undo = {
            "edit": "apply_recipe",
            "name": "each by itself",
            "voices": [],
            "mendings": [list(each) for each in before],
        }
        return Done("room", tuple(told), undo={"edits": [undo]})

    def mix_room(self, episode_id: int, progress: Progress) -> None:
        """By one action: everybody in step, then one room. Raises EditRefused where microphones do not share one."""
        self.look_ahead(episode_id, progress)
        self.do_line_up(episode_id)
        self._of.one_room.mix(episode_id)

    # -- prune ------------------------------------------------------------------------------------------------

    def plan_cuts(self, episode_id: int, name: str, wants: Wants, document: Document | None = None) -> Told:
        document = document or self.lined_up(episode_id)
        cuts = self._cuts(episode_id, document, name, wants)
        seconds = sum(cut["stop"] - cut["start"] for cut in cuts if "tracks" not in cut) / RATE
        if not cuts:
            return [], []
        saved = f", {seconds:.1f} s in all" if seconds else ", their room goes on in their place"
        return [f"{len(cuts)} {SAID[name]}{saved}."], []

    def do_cuts(self, episode_id: int, name: str, wants: Wants, progress: Progress) -> Done:
        state = self._of.editing.state(episode_id)
        if self._of.finding.known(episode_id, state.document) is None:
            self._of.finding.look(episode_id, state.document, progress)
        cuts = self._cuts(episode_id, state.document, name, wants)
        if not cuts:
            return Done(name)  # type: ignore[arg-type]
        told, _ = self.plan_cuts(episode_id, name, wants, state.document)
        before = {seam.id for seam in state.document.seams}
        kind = CUTS[name]
        made = self._of.editing.edit(episode_id, "prune", {"cuts": cuts, "name": f"{len(cuts)} {kind}s"})
        seams = [seam.id for seam in made.document.seams if seam.id not in before]
        return Done(name, tuple(told), undo={"seams": seams})  # type: ignore[arg-type]

    def _cuts(self, episode_id: int, document: Document, name: str, wants: Wants) -> list[dict[str, Any]]:
        finds = self._of.finding.known(episode_id, document) or []
        sure = 0.0 if name == "silences" else wants.sure
        return cuts_for(document, finds, CUTS[name], sure=sure, longer_s=wants.longer_s, keep_s=wants.keep_s)

    # -- balance ----------------------------------------------------------------------------------------------

    def plan_voices(self, episode_id: int) -> Told:
        lines = []
        speech = {r.id: r.facts.get("speech_lufs") for r in self._of.recordings.of_episode(episode_id)}
        for track in self._plain(episode_id):
            last = self._last_voice(episode_id, track)
            now = speech.get(main_recording(track) or 0)
            was = f" (speaks at {now:.1f} LUFS)".replace("-", "−") if now is not None else ""
            how = f"as in “{last[0]}”" if last else "every phrase at one loudness, tone near average speech"
            lines.append(f"{track.name}{was}: {how}.")
        return lines, []

    def do_voices(self, episode_id: int, progress: Progress) -> Done:
        lines, _ = self.plan_voices(episode_id)
        undo, needs = [], []
        tracks = self._plain(episode_id)
        for n, track in enumerate(tracks):
            progress(f"Listening to {track.name}", n / len(tracks))
            try:
                if last := self._last_voice(episode_id, track):
                    self._of.recipes.treat(episode_id, [track.id], asdict(last[1]), name=last[0])
                else:
                    self._of.voices.fit(episode_id, track.id)
            except PampaError as error:
                needs.append(f"{track.name} stays as recorded. {error}")
                continue
            undo.append({"edit": "set_recipe", "track": track.id, "recipe": asdict(track.recipe)})
        return Done("voices", tuple(lines), tuple(needs), {"edits": undo})

    def _plain(self, episode_id: int) -> list[Track]:
        """Tracks of talk whose voices nobody has set anything of."""
        document = self._of.editing.state(episode_id).document
        return [t for t in document.linked_tracks() if t.clips and t.treated and t.recipe == Recipe()]

    def _last_voice(self, episode_id: int, track: Track) -> tuple[str, Recipe] | None:
        last = self._of.recipes.last_time(episode_id, track.name)
        return (last.episode, last.voice) if last and last.voice != Recipe() else None

    # -- music ------------------------------------------------------------------------------------------------

    def plan_music(self, episode_id: int) -> Told:
        document = self._of.editing.state(episode_id).document
        if self._of.patterns.ending(episode_id):
            return ["The ending of the pattern, at the end of the talk."], []
        return [f"{piece.name} as {what}." for what, piece in self._around(episode_id, document).items()], []

    def do_music(self, episode_id: int) -> Done:
        document = self._of.editing.state(episode_id).document
        told, _ = self.plan_music(episode_id)
        if self._of.patterns.ending(episode_id):
            self._of.patterns.lay_ending(episode_id)
        else:
            for what, piece in self._around(episode_id, document).items():
                frames = {name: round(seconds * RATE) for name, seconds in USUAL_S[what].items()}
                self._of.music.set(episode_id, what, piece.id, {**frames, "under_lu": piece.under_lu})
        made = _clips(self._of.editing.state(episode_id).document) - _clips(document)
        return Done("music", tuple(told), undo={"clips": sorted(made)})

    def _around(self, episode_id: int, document: Document) -> dict[str, Around]:
        """What the show has as opening and ending, where the episode has no music yet."""
        if any(track.kind == "music" and track.clips for track in document.tracks):
            return {}
        show, _ = self._of.shows.episode(episode_id)
        return self._of.patterns.around_the_talk(show.id)

    # -- send out ---------------------------------------------------------------------------------------------

    def files(self, episode_id: int) -> list[tuple[str, Wanted]]:
        """The files that the show wants of each episode, by where they go."""
        show, _ = self._of.shows.episode(episode_id)
        kept = [each for each in self._of.about.of_show(show.id).wanted if each.get("ticked", True)]
        return [(each["name"] or each["kind"], Wanted.of({**USUAL_FILE, **each})) for each in kept or [USUAL_FILE]]

    # -- taken back -------------------------------------------------------------------------------------------

    def take_back(self, episode_id: int, done: Done) -> None:
        """Undo one step alone, by edits, whatever was done after it. What is gone already stays gone."""
        undo = done.undo or {}
        for told in undo.get("edits", []):
            self._of.editing.edit(episode_id, told["edit"], {k: v for k, v in told.items() if k != "edit"})
        for seam in sorted(undo.get("seams", []), reverse=True):
            if any(each.id == seam for each in self._of.editing.state(episode_id).document.seams):
                self._of.editing.edit(episode_id, "put_back", {"seam": seam})
        for clip in undo.get("clips", []):
            if clip in _clips(self._of.editing.state(episode_id).document):
                self._of.editing.edit(episode_id, "remove_clip", {"clip": clip})

    def _names(self, episode_id: int) -> dict[int, str]:
        """What each recording is called: also those off the list, since what lies on tracks stays there."""
        every = [
            recording
            for removed in (False, True)
            for recording in self._of.recordings.of_episode(episode_id, removed=removed, gone=True)
        ]
        return {recording.id: _called(recording) for recording in every}


def _called(recording: Recording) -> str:
    return recording.person or recording.name


def _in_doubt(recording: Recording) -> bool:
    """Whether it may be for something else; of talk that is one whatever it is called."""
    purpose = recording.facts.get("purpose", {})
    both = {recording.role, purpose.get("other", recording.role)}
    return purpose.get("sure", 1.0) < SURE and not both <= {"person", "spot"}


def _clips(document: Document) -> set[int]:
    return {clip.id for track in document.tracks for clip in track.clips}


def _placed(name: str, measured: Measured) -> str:
    clock = measured.clock
    drift = f", its clock {abs(clock.drift_ppm):.0f} ppm {'fast' if clock.drift_ppm < 0 else 'slow'}"
    sure = f", {measured.found.confidence * 100:.0f} % sure" if not measured.by_hand else ", set by hand"
    text = f"{name} by {clock.offset_s:+.2f} s{drift if abs(clock.drift_ppm) >= 1 else ''}{sure}."
    return text.replace("-", "−")
