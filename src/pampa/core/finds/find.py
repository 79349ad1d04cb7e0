"""All finds of a conversation: every recording looked at once, everybody heard against everybody."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pampa.core.checkup.speech import runs_of
from pampa.core.executor import Executor
from pampa.core.finds.agreement import find_agreement
from pampa.core.finds.chatter import find_chatter
from pampa.core.finds.fillers import find_fillers
from pampa.core.finds.finds import Find
from pampa.core.finds.knocks import find_knocks
from pampa.core.finds.restarts import find_restarts
from pampa.core.finds.silences import find_silences
from pampa.core.mend.clicks import Click, find_clicks
from pampa.core.sound import RATE, Source
from pampa.core.speech.activity import Activity, Bools, activities
from pampa.core.speech.breaths import Breaths, find_breaths, own_breaths
from pampa.core.speech.features import PER_S, Features, measure_features

BESIDE_S = 0.05
CLICK_DB, CLICK_IN_SPEECH_DB = 10.0, 18.0
VERSION = 5
"""Raised whenever the same recordings would be heard otherwise, so that nothing old is taken from a cache."""
LONGEST_PAUSE, RINGS_ON = 3 * PER_S, 15
CRACKLE, CLICK, LET_GO = 3, 8, 15
"""10 ms frames that a crackle, and a click with what rings on of it, may last; how soon after a word one is its t."""
LEAST_SILENCE_S = 0.5
"""Silences are looked for from here on; how long is too long is a matter of taste, and asked for later."""


@dataclass(frozen=True, eq=False)
class Heard:
    """What is known of one recording before anybody else is heard: it does not change when others are moved."""

    features: Features
    clicks: list[Click]


def hear(source: Source, executor: Executor | None = None) -> Heard:
    """Listen to one recording at 48 kHz."""
    if source.rate != RATE:
        raise ValueError(f"a conformed recording has {RATE} Hz, this one has {source.rate}")
    return Heard(measure_features(source, executor), find_clicks(source, executor))


def find(heard: Sequence[Heard], *, silence_s: float = LEAST_SILENCE_S) -> list[Find]:
    """The finds of a conversation whose recordings are lined up, in order of time.

    silence_s : silences longer than this are proposed.
    """
    people = activities([each.features for each in heard])
    features = [each.features for each in heard]
    breathing = [find_breaths(*each) for each in zip(features, people, strict=True)]
    breaths = [own_breaths(n, breathing, features) for n in range(len(heard))]
    knocks = [find_knocks(n, each.features, people[n]) for n, each in enumerate(heard)]
    talking = [
        _without(person.talking, [*runs, *_frames_of(banged)])
        for person, (runs, _), banged in zip(people, breaths, knocks, strict=True)
    ]
    people = [replace(person, talking=said) for person, said in zip(people, talking, strict=True)]
    agreement = find_agreement(people)
    found = [
        *agreement,
        *find_silences([_audible(*each) for each in zip(people, breaths, heard, strict=True)], silence_s),
    ]
    for n, (each, person) in enumerate(zip(heard, people, strict=True)):
        agreed = [(a.start_s, a.end_s) for a in agreement if a.track == n]
        found += knocks[n]
        found += find_restarts(n, each.features, person)
        found += find_fillers(n, each.features, person, agreed)
        found += [_breath(n, run, height) for run, height in zip(*breaths[n], strict=True)]
        found += _clicks(n, each.clicks, person)
    claps = sorted(knock.start_s for banged in knocks for knock in banged)
    found += find_chatter([person.talking for person in people], claps)
    talks = [person.talking for person in people]
    told = [replace(each, alone=_is_alone(each, talks), pause_s=_pause(each, talks[each.track])) for each in found]
    return sorted(told, key=lambda each: (each.start_s, each.track))


def _is_alone(each: Find, talking: Sequence[Bools]) -> bool:
    if each.kind in ("silence", "chatter"):  # of everybody
        return True
    first, last = round((each.start_s - BESIDE_S) * PER_S), round((each.end_s + BESIDE_S) * PER_S)
    return not any(said[max(first, 0) : last].any() for n, said in enumerate(talking) if n != each.track)


def _pause(each: Find, talking: Bools) -> float:
    """How long its person is silent before and after a find, whichever is less; what is not known counts as long."""
    first, last = round(each.start_s * PER_S), round(each.end_s * PER_S)
    before, after = talking[max(first - LONGEST_PAUSE, 0) : first][::-1], talking[last : last + LONGEST_PAUSE]
    return min(_wait(before), _wait(after)) / PER_S


def _wait(talking: Bools) -> int:
    """Frames of silence until somebody talks; what rings on from the find itself, for a moment, does not count."""
    begins = int(np.argmin(talking)) if talking.size and talking[0] else 0
    if begins > RINGS_ON or (talking.size and talking.all()):
        return 0
    rest = talking[begins:]
    return int(np.argmax(rest)) if rest.any() else LONGEST_PAUSE


def _audible(person: Activity, breaths: Breaths, known: Heard) -> Bools:
    """Where one person is heard with anything of their own; a click, or a crackle of 30 ms, is nothing.

    Right after a word a crackle is its end: the t that is let go after a stop.
    """
    heard = person.sounding.copy()
    clicks = np.zeros(heard.size + 1, bool)
    clicks[[min(click.start * PER_S // RATE, heard.size) for click in known.clicks]] = True
    word_ends = -LET_GO
    for first, last in runs_of(person.sounding):
        clicked = last - first <= CLICK and clicks[first:last].any()
        if clicked or (last - first <= CRACKLE and first - word_ends >= LET_GO):
            heard[first:last] = False
        elif last - first > CRACKLE:
            word_ends = last
    for first, last in breaths[0]:
        heard[first:last] = True
    return heard


def _without(talking: Bools, runs: Sequence[tuple[int, int]]) -> Bools:
    said = talking.copy()
    for first, last in runs:
        said[first:last] = False
    return said


def _frames_of(finds: list[Find]) -> list[tuple[int, int]]:
    return [(round(each.start_s * PER_S), round(each.end_s * PER_S)) for each in finds]


def _breath(track: int, run: tuple[int, int], height: float) -> Find:
    sure = round(float(np.clip(0.65 + height / 30, 0.65, 0.95)), 2)
    return Find(
        "breath", track, int(run[0]) / PER_S, int(run[1]) / PER_S, sure, f"{height:.0f} dB over the room, no voice."
    )


def _clicks(track: int, clicks: list[Click], person: Activity) -> list[Find]:
    found = []
    for click in clicks:
        frame = min(round(click.start * PER_S / RATE), person.talking.size - 1)
        said = person.talking[max(frame - 2, 0) : frame + 3].all()
        if click.over_db >= (CLICK_IN_SPEECH_DB if said else CLICK_DB):
            sure = round(float(np.clip(0.45 + click.over_db / 50, 0.5, 0.97)), 2)
            words = f"Stands {click.over_db:.0f} dB over what is foretold from around."
            found.append(Find("click", track, click.start / RATE, click.stop / RATE, sure, words))
    return found
