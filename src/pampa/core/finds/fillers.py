"""Fillers: um, uh and er, wherever they stand, and the words that fill: you know, I mean, like."""

from dataclasses import dataclass

import numpy as np

from pampa.core.finds import judge
from pampa.core.finds.finds import Find
from pampa.core.finds.words import clearness, said_of, wait_after, wait_before
from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity
from pampa.core.speech.features import PER_S, Features
from pampa.core.speech.sounds import KINDS, Sounds

MAY_BE, BRIDGE, SHORTEST = 0.3, 4, 7
LONGEST, SHORT = round(1.2 * PER_S), 18
"""Frames. What is shorter than `SHORT` may be half of a filler whose end is too soft: how short it is says nothing."""
SURE = 0.7
"""The least at which nine of ten are right where 4 of 100 words are fillers, by 28 made talks of voices, scripts and
rooms that nothing learned from: there 8 of 100 are, and 95 of 100 finds are right."""
LATER, VOICED, MUCH = 5, 0.6, 0.3
"""A filler is steady: so many frames later it is the same sound, and its pitch sways by less than so many octaves."""
WORDS = {"filler": "An um or an uh", "phrase": "Words that fill"}


@dataclass(frozen=True)
class Candidate:
    """Frames of what may be a filler, and the kind of the two that it is more like."""

    first: int
    last: int
    kind: str


def find_fillers(track: int, features: Features, sounds: Sounds, person: Activity) -> list[Find]:
    """The fillers of one person."""
    found = []
    candidates, clear = candidates_of(sounds, person), clearness(sounds, person)
    sure = judge.sure("filler", [measures(each, features, sounds, person, clear) for each in candidates])
    for each, share in zip(candidates, sure.tolist(), strict=True):
        if share >= SURE:
            evidence = f"{WORDS[each.kind]}, {(each.last - each.first) / PER_S:.2f} s long."
            found.append(
                Find("filler", track, each.first / PER_S, each.last / PER_S, round(min(share, 0.98), 2), evidence)
            )
    return found


def candidates_of(sounds: Sounds, person: Activity) -> list[Candidate]:
    """Stretches that may be fillers at all."""
    fills = {kind: said_of(sounds, person, kind) for kind in WORDS}
    may_be = (fills["filler"] + fills["phrase"] > MAY_BE) & person.talking[: sounds.frames]
    out = []
    for first, last in runs_of(may_be, bridge=BRIDGE).tolist():
        if SHORTEST <= last - first <= LONGEST:
            kind = max(WORDS, key=lambda kind: float(fills[kind][first:last].sum()))
            out.append(Candidate(first, last, kind))
    return out


def measures(each: Candidate, features: Features, sounds: Sounds, person: Activity, clear: float) -> judge.Measures:
    """What speaks for and against a filler. clear : see `words.clearness`."""
    here = slice(each.first, each.last)
    phones = sounds.phones[here] / np.float32(255)
    steady = float((phones[:-LATER] * phones[LATER:]).sum(axis=1).mean())
    voiced = features.voicing[here] > VOICED
    sway = float(np.log2(features.pitch_hz[here][voiced]).std()) if voiced.sum() > LATER else MUCH
    shares = sounds.kinds[here] / np.float32(255)
    fills = shares[:, KINDS.index("filler")] + shares[:, KINDS.index("phrase")]
    kinds = shares.mean(axis=0)
    loudest = float(person.level[here].max())
    return {
        "fills": float(fills.mean()),
        "fills most": float(fills.max()),
        "fills least": float(np.percentile(fills, 20)),
        "phrase": float(each.kind == "phrase"),
        **{kind: float(kinds[KINDS.index(kind)]) for kind in ("word", "agree", "rest")},
        "length": np.log(max(each.last - each.first, SHORT) / 20),
        "wait before": wait_before(person.talking, each.first) / 30,
        "wait after": wait_after(person.talking, each.last) / 30,
        "voiced": float(features.voicing[here].mean()),
        "under own talk": (loudest - person.top_db) / 10,
        "over room and leak": (loudest - max(float(person.leak[here].max()), person.floor_db)) / 20,
        "taken back": float(sounds.taken_back[here].mean()) / 255,
        "clear": clear,
        "clear and fills": clear * float(fills.mean()),
        "steady": steady,
        "sway": min(sway, MUCH),
    }
