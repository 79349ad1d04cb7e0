"""Finds against the truth, kind by kind: on the sample, on three other speakers, and on made talks that are given.

No line of the sample or of the three others was learned from; two of the sample's voices and two of the three are
akin to voices that were, the third (Bea) is not. Made talks (`training/talks.py`, `--part tried`) have voices, scripts
and rooms that nothing was learned from. Beside each kind stands a rule of thumb, as a peer.
"""

import json
from collections import defaultdict
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from bench.rooms import CONDITIONS, Condition, recorded_in
from bench.silences import FAINT_DB, HEARD_DB, Silence, silence_counts, silences_of, sounds
from pampa.core.executor import Threads
from pampa.core.finds.find import Heard, find, hear
from pampa.core.finds.finds import Find
from pampa.core.runs import runs_of
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.activity import Activity, activities
from pampa.core.speech.features import PER_S, Features
from pampa.demo.assemble import VOICES

OTHERS = Path(__file__).parents[2] / "shared" / "voices2"
KINDS = {"filler": "filler", "phrase": "filler", "restart": "restart", "repeat": "restart", "false_start": "restart",
         "breath": "breath", "click": "click", "backchannel": "backchannel", "agree": "backchannel", "cough": "knock",
         "chatter": "chatter"}  # fmt: skip
TOLD = ("filler", "restart", "breath", "click", "backchannel", "knock", "chatter")
PHRASES = ("you know", "i mean", "like")
AROUND_S = 0.1
"""A pause is at least so long."""


@dataclass(frozen=True)
class Event:
    """Something that is there: of a person, seconds; where the same person speaks next, and what spoke before."""

    person: int
    kind: str
    start: float
    end: float
    word: str = ""
    manner: str = ""
    next: float = 1e9
    before: float = -1e9

    @property
    def place(self) -> str:
        pauses = (self.start - self.before > AROUND_S, self.next - self.end > AROUND_S)
        return {(True, True): "between pauses", (True, False): "after a pause", (False, True): "before a pause",
                (False, False): "without a pause"}[pauses]  # fmt: skip


@dataclass(frozen=True)
class Talk:
    name: str
    sources: list[ArraySource]
    events: list[Event]
    silences: list[Silence]


def of_show(folder: Path, condition: Condition, seed: int) -> Talk:
    """The lines of a show in a room: its sponsor's voice is left out."""
    lines = [line for line in json.loads((folder / "lines.json").read_text()) if line["editorial"] != "sponsor"]
    lines = [line for line in lines if line["editorial"] not in ("chatter", "drop", "outro")]
    first = min(line["start_s"] for line in lines) - 1
    people = sorted({line["speaker"] for line in lines})
    length = max(line["start_s"] + line["duration_s"] for line in lines) - first + 2
    voices, spans = np.zeros((len(people), round(length * RATE))), []
    for line in lines:
        sound, rate = soundfile.read(folder / line["file"])
        n, at = people.index(line["speaker"]), line["start_s"] - first
        sound = soxr.resample(sound, rate, RATE)
        voices[n, round(at * RATE) :][: sound.size] += sound
        spans += [
            (n, part["kind"], at + part["start_s"], at + part["end_s"], part["text"]) for part in line["segments"]
        ]
    bent = [soxr.resample(voice, RATE * condition.pace, RATE) for voice in voices]
    sources, clicks, noise = recorded_in(condition, bent, seed)
    spans = [(n, kind, a / condition.pace, b / condition.pace, text) for n, kind, a, b, text in spans]
    sure = np.any([sounds(voice, HEARD_DB, under) for voice, under in zip(bent, noise, strict=True)], axis=0)
    faint = sure | np.any([sounds(voice, FAINT_DB, 0.0) for voice in bent], axis=0)
    events = _events([*spans, *((n, "click", at, at + 0.0025, "") for n, at in clicks)])
    return Talk(condition.name, sources, events, silences_of(sure, faint))


def _events(spans: list[Any]) -> list[Event]:
    spans = _fillers_as_one(spans)
    spoken = ("speech", "filler", "phrase", "restart", "repeat", "false_start")
    out = []
    for n, kind, a, b, word, *_ in spans:
        if kind in KINDS:
            starts = [c for m, k, c, *_ in spans if m == n and k in spoken and c > a + 0.01]
            ends = [d for m, k, _, d, *_ in spans if m == n and k in spoken and d < b - 0.01]
            word = word.lower().strip(" ,.?!")
            out.append(Event(n, KINDS[kind], a, b, word, kind, min(starts, default=1e9), max(ends, default=-1e9)))
    return out


def _fillers_as_one(spans: list[Any]) -> list[Any]:
    """Where one filler follows another at once ("um, uh") they are one thing to be taken out."""
    out: list[Any] = []
    for span in sorted(spans, key=lambda each: (each[0], each[2])):
        before = next((each for each in reversed(out) if KINDS.get(each[1]) == "filler"), None)
        if before and KINDS.get(span[1]) == "filler" and span[0] == before[0] and span[2] - before[3] < AROUND_S:
            out[out.index(before)] = (*before[:3], span[3], *before[4:])
        else:
            out.append(tuple(span))
    return out


def of_made(path: Path) -> Talk:
    from training.engines import RATE as MADE
    from training.listening import rendered

    made = np.load(path)
    both = rendered(made, np.random.default_rng((int(path.stem), 99)))
    sources = [ArraySource(soxr.resample(each, MADE, RATE)[:, None].astype(np.float32)) for each in both]
    return Talk(path.stem, sources, _events([tuple(each) for each in json.loads(str(made["events"]))]), [])


def is_right(find: Find, event: Event) -> bool:
    """Whether a find takes what is there, and no words besides."""
    if find.kind != event.kind or find.track != event.person:
        return False
    if find.kind == "click":
        return find.start_s < event.end + 0.003 and event.start < find.end_s + 0.003
    shared = min(find.end_s, event.end) - max(find.start_s, event.start)
    latest = max(event.end, min(event.next, event.end + 2.5)) if event.kind == "restart" else event.end
    beyond = max(event.start - find.start_s, 0) + max(find.end_s - latest, 0)
    return shared > 0.4 * (event.end - event.start) and beyond < max(0.25, 0.5 * find.length_s)


class Score:
    """Counts of right, told, known and true, and how sure each was."""

    def __init__(self) -> None:
        self.counts: dict[str, NDArray[np.int64]] = defaultdict(lambda: np.zeros(4, np.int64))
        self.split: dict[str, list[bool]] = defaultdict(list)
        self.sure: dict[str, list[tuple[float, bool]]] = defaultdict(list)

    def add(self, told: list[Find], events: list[Event]) -> None:
        for kind in TOLD:
            own = [each for each in told if each.kind == kind]
            true = [event for event in events if event.kind == kind]
            right = [any(is_right(each, event) for event in true) for each in own]
            known = [any(is_right(each, event) for each in own) for event in true]
            self.counts[kind] += (sum(right), len(own), sum(known), len(true))
            self.sure[kind] += zip((each.confidence for each in own), right, strict=True)
            for event, found in zip(true, known, strict=True):
                if kind == "filler":
                    self.split[f"filler, {event.place}"].append(found)
                    self.split[f"filler, {event.word if event.word in PHRASES else event.word[:2]}"].append(found)
                if kind == "restart":
                    long = "over 0.6 s" if event.end - event.start > 0.6 else "up to 0.6 s"
                    self.split[f"restart, {long}"].append(found)

    def show(self, peers: "Score") -> None:
        for kind, each in self.counts.items():
            peer = f"   rule of thumb {_ratio(peers.counts[kind])}" if peers.counts[kind][1] else ""
            print(f"  {kind:<12} {_ratio(each)}   of {each[3]}{peer}")
        for name, found in sorted(self.split.items()):
            print(f"    {name:<32} {sum(found)} of {len(found)}")
        for kind in ("filler", "restart", "breath", "backchannel"):
            shares = []
            for low, high in ((0.5, 0.65), (0.65, 0.8), (0.8, 0.9), (0.9, 1.0)):
                here = [right for sure, right in self.sure[kind] if low <= sure < high or sure == high == 1.0]
                shares.append(f"{low:.2f}-{high:.2f}: {np.mean(here):.2f} of {len(here)}" if here else "")
            print(f"    sure against right, {kind}: {'   '.join(shares)}")


def _ratio(each: NDArray[np.int64]) -> str:
    precision, recall = each[0] / max(each[1], 1), each[2] / max(each[3], 1)
    both = 2 * precision * recall / max(precision + recall, 1e-9)
    return f"precision {precision:.2f} recall {recall:.2f} F {both:.2f}"


def rules_of_thumb(heard: list[Heard]) -> list[Find]:
    """What somebody would write in an afternoon."""
    people = activities([each.features for each in heard])
    out = []
    for n, person in enumerate(people):
        out += _short_phrases(n, person) + _soft_noises(n, heard[n].features, person)
        for first, last in runs_of(person.talking, bridge=30).tolist():
            others = [
                other.talking[max(first - 100, 0) : last + 100].mean() for k, other in enumerate(people) if k != n
            ]
            if last - first < 80 and max(others, default=0) > 0.4:
                out.append(Find("backchannel", n, first / PER_S, last / PER_S, 0.5, ""))
    return out


def _short_phrases(n: int, person: Activity) -> list[Find]:
    """A filler is a short phrase between pauses; a restart a short one before a longer one that follows at once."""
    phrases = runs_of(person.talking, bridge=round(0.04 * PER_S)) / PER_S
    out = []
    for before, here, after in zip(phrases, phrases[1:], phrases[2:], strict=False):
        if here[1] - here[0] < 0.5 and here[0] - before[1] > AROUND_S and after[0] - here[1] > AROUND_S:
            out.append(Find("filler", n, float(here[0]), float(here[1]), 0.5, ""))
        if here[1] - here[0] < 0.8 < after[1] - after[0] and after[0] - here[1] < 0.5:
            out.append(Find("restart", n, float(here[0]), float(here[1]), 0.5, ""))
    return out


def _soft_noises(n: int, features: Features, person: Activity) -> list[Find]:
    soft = (person.level > person.floor_db + 4) & (person.level < person.top_db - 20) & (features.voicing < 0.5)
    return [
        Find("breath", n, first / PER_S, last / PER_S, 0.5, "")
        for first, last in runs_of(soft, bridge=3).tolist() if 20 <= last - first <= 90
    ]  # fmt: skip


def main(talks: Path | None = None) -> None:
    executor = Threads(2)
    parts = {
        "the sample": [lambda n=n, c=c: of_show(VOICES, c, n) for n, c in enumerate(CONDITIONS)],
        "three others": [lambda n=n, c=c: of_show(OTHERS, c, 50 + n) for n, c in enumerate(CONDITIONS)],
    }  # type: dict[str, list[Any]]
    if talks:
        parts["made talks"] = [lambda path=path: of_made(path) for path in sorted(talks.glob("*.npz"))]
    for name, makes in parts.items():
        score, peers, quiet = Score(), Score(), np.zeros(4, np.int64)
        for make in makes:
            talk = make()
            heard = [hear(source, executor) for source in talk.sources]
            found = find(heard, silence_s=1.0)
            score.add(found, talk.events)
            peers.add(rules_of_thumb(heard), talk.events)
            if talk.silences:
                quiet += silence_counts([(f.start_s, f.end_s) for f in found if f.kind == "silence"], talk.silences)
        print(name)
        score.show(peers)
        if quiet[3]:
            print(f"  {'silence':<12} {_ratio(quiet)}   of {quiet[3]}")
