"""Restarts: a beginning said again. The try before it can go.

Wherever somebody may begin again, what they said just before is held against what follows, as probabilities of phones:
an alignment of the two says how much of it came again and how well, and other moments of the talk, how much of it comes
again by chance. A network of its own (`core.speech.taken_back`) hears besides what is taken back, also where hardly
anything comes again. Whether such a stretch is a beginning taken back, or said twice on purpose, is judged by what lies
around it: stops, fillers between, how the voice breaks off, whether the talk goes on.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds import judge
from pampa.core.finds.finds import Find
from pampa.core.finds.said_again import ONSET, REACH, STANDS_OUT, Said, against_cohort, likenesses, said_by
from pampa.core.finds.words import clearness, evened, wait_before, words_of
from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity, quietest
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S, Features
from pampa.core.speech.sounds import KINDS, Sounds

GAP = round(1.6 * PER_S)
"""The longest stop between what was said first and what comes again."""
SHORTEST, SCORE = 6, 3.0
BROKEN_OFF, BRIDGE, EVENED = 0.3, 8, 7
"""The probability of being taken back from which on a stretch is looked at, and frames: gaps that are closed, and over
how many it is evened."""
SURE = 0.55
"""Seven of ten were right, and more than half found, in 28 made talks of voices that nothing learned from."""
FALL = 10
"""Voiced frames in which pitch falls where something is said to its end."""
LONGEST_ON = 2 * PER_S


@dataclass(frozen=True)
class Try:
    """Something that was said and came again: frames."""

    start: int
    stop: int
    """Where what was said first ends."""
    again: int
    again_until: int
    alike_until: int
    """Where the likeness ends in what was said first; what follows of it did not come again."""
    score: float
    broken_off: bool = False
    """That it is one by how it breaks off; the score is of what came of it again, perhaps of a part."""


def find_restarts(track: int, features: Features, sounds: Sounds, person: Activity) -> list[Find]:
    """The tries that one person took back."""
    words, clear = words_of(sounds, person), clearness(sounds, person)
    said = said_by(sounds, words)
    tries = candidates_of(sounds, words, said)
    apart = standing_out(tries, said)
    rows = [measures(each, features, sounds, person, words, clear, out) for each, out in zip(tries, apart, strict=True)]
    sure = zip(judge.sure("restart", rows).tolist(), tries, strict=True)
    return [_find(track, each, person, share) for share, each in _apart([one for one in sure if one[0] >= SURE])]


def candidates_of(sounds: Sounds, words: Bools, said: Said) -> list[Try]:
    """Whatever came again, and whatever the network takes for broken off; they may lie over each other."""
    tries = _best(tries_of(said, words))
    return [*tries, *broken_off(sounds, words, tries)]


def broken_off(sounds: Sounds, words: Bools, tries: list[Try]) -> list[Try]:
    """Stretches that the network expects to be said again, as tries; what came of them again is told by `tries`."""
    out = []
    likely = evened(sounds.taken_back[: words.size], EVENED) > BROKEN_OFF
    for start, stop in runs_of(likely & words, bridge=BRIDGE).tolist():
        after = words[stop : stop + GAP]
        if stop - start < SHORTEST or not after.any():
            continue
        again = stop + int(np.argmax(after))
        over = [each.score for each in tries if each.start < stop and start < each.stop]
        until = min(again + stop - start, words.size)
        out.append(Try(start, stop, again, until, stop, max(over, default=0.0), broken_off=True))
    return out


def tries_of(said: Said, words: Bools) -> list[Try]:
    """Whatever may have been said twice: the best likeness at each place where it may have begun again."""
    changes = said.changes
    if not changes.size:
        return []
    since = _since(words)
    ends = changes - since[np.maximum(changes - 1, 0)]
    soon = (changes - ends <= GAP) & (ends > 0)
    changes, ends = changes[soon], ends[soon]
    table = likenesses(said, changes, ends)
    return [
        Try(int(start), int(end), int(again), int(until), int(alike), float(score))
        for again, end, (score, start, alike, until) in zip(changes, ends, table.tolist(), strict=True)
        if score >= SCORE and alike - start >= SHORTEST
    ]


def standing_out(tries: list[Try], said: Said) -> list[list[float]]:
    """How far each stands out from what comes again by chance: see `against_cohort`."""
    places = (np.array([getattr(each, name) for each in tries], np.int64) for name in ("start", "stop", "again"))
    rows: list[list[float]] = against_cohort(said, *places).tolist()
    return rows


def _best(tries: list[Try]) -> list[Try]:
    """Of tries that lie over each other the one that scores best: most are the same one, begun a little later."""
    return [each for _, each in _apart([(each.score, each) for each in tries])]


def _apart(ranked: list[tuple[float, Try]]) -> list[tuple[float, Try]]:
    """Of those that lie over each other the one that ranks highest, in order of time."""
    taken: list[tuple[float, Try]] = []
    for rank, each in sorted(ranked, key=lambda one: -one[0]):
        if not any(each.start < other.again and other.start < each.again for _, other in taken):
            taken.append((rank, each))
    return sorted(taken, key=lambda one: one[1].start)


def _since(words: Bools) -> NDArray[np.int64]:
    """Frames since the last word of some length, at each frame: 0 within words; many before the first."""
    at = np.arange(words.size)
    lasting = np.zeros(words.size, bool)
    for first, last in runs_of(words):
        lasting[first:last] = last - first > ONSET
    return at - np.maximum.accumulate(np.where(lasting, at, -REACH * 4))


def measures(
    each: Try, features: Features, sounds: Sounds, person: Activity, words: Bools, clear: float, apart: list[float]
) -> judge.Measures:
    """What speaks for and against a try. clear : see `words.clearness`; apart : see `standing_out`."""
    length, again = each.alike_until - each.start, each.again_until - each.again
    tail, gap = each.stop - each.alike_until, each.again - each.stop
    # Of this stretch only: there are thousands of tries in an hour.
    begin = max(each.start - 5, 0)
    kinds, back = sounds.kinds[begin : each.again_until] / 255, sounds.taken_back[begin : each.again_until] / 255

    def here(first: int, last: int) -> slice:
        return slice(first - begin, last - begin)

    between = kinds[here(each.stop, each.again)]
    filled = float(between[:, [KINDS.index("filler"), KINDS.index("phrase")]].sum())
    on = words[each.again_until : each.again_until + LONGEST_ON]
    stops = np.flatnonzero(~on)
    goes_on = int(stops[0]) if stops.size else on.size
    waits = wait_before(words, each.start)
    one, two = slice(each.start, each.alike_until), slice(each.again, each.again_until)
    level, pitch = person.level, features.pitch_hz
    voiced = [features.voicing[part] > 0.6 for part in (one, two)]
    pitches = [
        float(np.median(np.log2(pitch[part][v]))) if v.any() else 0.0
        for part, v in zip((one, two), voiced, strict=True)
    ]
    higher = pitches[1] - pitches[0] if voiced[0].any() and voiced[1].any() else 0.0
    end = slice(max(each.stop - 12, each.start), each.stop)
    last = voiced[0].nonzero()[0][-FALL:]  # what is said to its end falls in pitch there
    falls = float(np.median(np.log2(pitch[one][last]))) - pitches[0] if last.size else 0.0
    agrees = kinds[here(each.start, each.alike_until), KINDS.index("agree")]
    ends_soft = float(level[max(each.stop - 4, 0) : each.stop].mean() - level[one].max())
    phones = np.unique(sounds.phones[one].argmax(axis=1)).size
    per_frame = each.score / max(length, 1)
    return {
        "alike": each.score,
        "alike a frame": per_frame,
        "length": np.log(max(length, 1)),
        "drawn out": np.log(max(again, 1) / max(length, 1)),
        "not again": tail / 50,
        "gap": gap / 50,
        "filled": filled / 20,
        "gap not filled": (gap - filled) / 50,
        "goes on": goes_on / 50,
        "waits": waits / 50,
        "taken back": float(back[here(each.start, each.stop)].mean()),
        "taken back at the end": float(back[here(end.start, end.stop)].max(initial=0)),
        "second taken back": float(back[here(each.again, each.again_until)].mean()),
        "taken back most": float(back[here(each.start, each.alike_until)].max(initial=0)),
        "louder": float(level[two].mean() - level[one].mean()) / 6,
        "higher": higher * 4,
        "ends soft": ends_soft / 10,
        "phones": phones / 5,
        "voiced at the end": float(features.voicing[end].mean()),
        "agrees": float(agrees.mean()),
        "no gap": float(gap == 0),
        "alike, evened": np.log1p(each.score),
        "alike and short": min(per_frame, 2) * (length < 40),
        "all again": float(tail == 0),
        "goes on at all": float(goes_on > 15),
        "waits at all": float(waits > 5),
        "begins from rest": float(kinds[: each.start - begin + 3, 0].mean()),
        "clear": clear,
        "nothing again": float(each.score == 0),
        "falls": falls * 4,
        **dict(zip(STANDS_OUT, apart, strict=True)),
    }


def _find(track: int, each: Try, person: Activity, sure: float) -> Find:
    start = quietest(person, max(each.start - 8, 0), each.start)
    again = quietest(person, each.stop, each.again) if each.again > each.stop else each.again
    alike = (each.alike_until - each.start) / PER_S
    gap = (each.again - each.stop) / PER_S
    soon = f"{gap:.1f} s later" if gap > 0.05 else "at once"
    evidence = f"Broken off, and begun anew {soon}." if each.broken_off else f"{alike:.1f} s of it come again {soon}."
    return Find("restart", track, start / PER_S, again / PER_S, round(min(sure, 0.98), 2), evidence)
