"""All finds of a conversation: every recording looked at once, everybody heard against everybody."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from pampa.core.executor import Executor
from pampa.core.finds import breathing
from pampa.core.finds.agreement import find_agreement
from pampa.core.finds.chatter import find_chatter
from pampa.core.finds.fillers import find_fillers
from pampa.core.finds.finds import Find
from pampa.core.finds.followed import why_not_followed
from pampa.core.finds.knocks import find_knocks
from pampa.core.finds.restarts import find_restarts
from pampa.core.finds.silences import find_silences
from pampa.core.mend.clicks import Click, find_clicks
from pampa.core.runs import runs_of
from pampa.core.sound import RATE, Source
from pampa.core.speech.activity import Activity, activities
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S, Features, features_and_mel
from pampa.core.speech.sounds import KINDS, Sounds, listen

BESIDE_S = 0.05
CLICK_DB, CLICK_IN_SPEECH_DB = 10.0, 18.0
PROBABLY_REST = 128
"""Of 255: talk that the network hears as rest, more likely than not, is what rings on of a word or comes before one."""
VERSION = 11
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
    sounds: Sounds


def hear(source: Source, executor: Executor | None = None) -> Heard:
    """Listen to one recording at 48 kHz."""
    if source.rate != RATE:
        raise ValueError(f"a conformed recording has {RATE} Hz, this one has {source.rate}")
    features, mel = features_and_mel(source, executor)
    return Heard(features, find_clicks(source, executor), listen(features, mel, executor))


def find(heard: Sequence[Heard], *, silence_s: float = LEAST_SILENCE_S) -> list[Find]:
    """The finds of a conversation whose recordings are lined up, in order of time.

    silence_s : silences longer than this are proposed.
    """
    features, sounds = [each.features for each in heard], [each.sounds for each in heard]
    people = activities(features)
    followed = [why is None for why in _why_not_followed(heard, people)]
    breaths = [breathing.find_breathing(n, features, sounds, people) for n in range(len(heard))]
    knocks = [find_knocks(n, each.features, each.sounds, people[n]) for n, each in enumerate(heard)]
    talking = [
        _without(person.talking, [*breathing.runs(breathed), *_frames_of(banged)])
        for person, breathed, banged in zip(people, breaths, knocks, strict=True)
    ]
    people = [replace(person, talking=said) for person, said in zip(people, talking, strict=True)]
    audible = [
        _audible(person, breathing.runs(breathed), each)
        for person, breathed, each in zip(people, breaths, heard, strict=True)
    ]
    found = [*find_agreement(people, sounds), *find_silences(audible, silence_s)]
    found = [each for each in found if each.kind != "backchannel" or followed[each.track]]
    for n, (each, person) in enumerate(zip(heard, people, strict=True)):
        found += knocks[n]
        if followed[n]:
            found += find_restarts(n, each.features, each.sounds, person)
            found += find_fillers(n, each.features, each.sounds, person)
        found += [breathing.as_find(n, breath) for breath in breaths[n]]
        found += _clicks(n, each, person)
    found += find_chatter(people, [knock for banged in knocks for knock in banged])
    talks = [person.talking for person in people]
    told = [replace(each, alone=_is_alone(each, talks), pause_s=_pause(each, talks[each.track])) for each in found]
    return sorted(told, key=lambda each: (each.start_s, each.track))


def not_looked_at(heard: Sequence[Heard]) -> list[str | None]:
    """For each recording of a conversation, why fillers, restarts and agreement were not looked for, if so."""
    return _why_not_followed(heard, activities([each.features for each in heard]))


def _why_not_followed(heard: Sequence[Heard], people: Sequence[Activity]) -> list[str | None]:
    return [why_not_followed(each.features, each.sounds, person) for each, person in zip(heard, people, strict=True)]


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


def _audible(person: Activity, breaths: NDArray[np.int64], known: Heard) -> Bools:
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
    for first, last in breaths:
        heard[first:last] = True
    return heard


def _without(talking: Bools, runs: Sequence[Sequence[int] | NDArray[np.int64]]) -> Bools:
    said = talking.copy()
    for first, last in runs:
        said[first:last] = False
    return said


def _frames_of(finds: list[Find]) -> list[tuple[int, int]]:
    return [(round(each.start_s * PER_S), round(each.end_s * PER_S)) for each in finds]


def _clicks(track: int, known: Heard, person: Activity) -> list[Find]:
    """Clicks of one recording; in words only what stands out far more, since words click, too."""
    found = []
    rest = known.sounds.kinds[:, KINDS.index("rest")]
    for click in known.clicks:
        frame = min(round(click.start * PER_S / RATE), person.talking.size - 1)
        around = slice(max(frame - 2, 0), frame + 3)
        said = person.talking[around].all() and rest[around].mean() < PROBABLY_REST
        if click.over_db >= (CLICK_IN_SPEECH_DB if said else CLICK_DB):
            sure = round(float(np.clip(0.45 + click.over_db / 50, 0.5, 0.97)), 2)
            words = f"Stands {click.over_db:.0f} dB over what is foretold from around."
            found.append(Find("click", track, click.start / RATE, click.stop / RATE, sure, words))
    return found
