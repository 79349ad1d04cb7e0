"""Trains the judges of `pampa.core.finds.judge` on talks that the network of sounds has not learned from.

Needs scikit-learn beside the project's own packages.

    PYTHONPATH=src:. python training/judging.py measure TALKS MEASURED --variants 2 --sample
    PYTHONPATH=src:. python training/judging.py train MEASURED src/pampa/core/finds/judges.npz --kinds restart
    PYTHONPATH=src:. python training/judging.py told MEASURED        # how sure against how right

The judges shipped learned from 58 made talks of 60 s (seeds 6001 to 6034, 7001 on and 7101 on, 24 of these), in two
renderings, the second with noises, and from the sample. The network had not learned from them, but for what tells
breaking off, which was fitted to 34 of them.

What a find is measured by is written as the finders themselves measure it, so that both never differ.
"""

import argparse
import json
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from bench.judgement import of_show
from bench.rooms import CONDITIONS

from pampa.core.finds import agreement, breathing, fillers, judge, restarts
from pampa.core.finds.find import Heard, hear
from pampa.core.finds.said_again import said_by
from pampa.core.finds.words import clearness, words_of
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.activity import activities
from pampa.core.speech.breaths import over_room
from pampa.core.speech.features import PER_S
from pampa.demo.assemble import VOICES
from training.engines import RATE as MADE
from training.listening import rendered

KINDS = ("filler", "restart", "agreement", "breath")
CALLED = {"filler": ("filler", "phrase"), "restart": ("restart",), "agreement": ("agree",), "breath": ("breath",)}
ALIKE = {"filler": 0.35, "restart": 0.5, "agreement": 0.35, "breath": 0.35}
"""The least that a candidate and what is there must share to count as one."""
WRONG = {"filler": 2.5}
"""How much what is none of a kind weighs, where made talks have more of that kind than talk has: so how sure a find is
holds for talk. Of 100 words 6.4 are fillers in the talks learned from; in conversations 2.6 are (Bortfeld, Leon, Bloom,
Schober & Brennan, Disfluency rates in conversation, Language and Speech 44, 2001)."""
Event = tuple[int, str, float, float, str, str]


def conversation(path: Path, variant: int) -> tuple[list[Heard], list[Event]]:
    """Both recordings of a made talk in rooms of their own, listened to; and what is true of them.

    In every other variant both cough, put things down and move.
    """
    made = np.load(path)
    rng = np.random.default_rng((int(path.stem), variant, 5))
    sounds = [soxr.resample(sound, MADE, RATE)[:, None] for sound in rendered(made, rng, noises=variant % 2 == 1)]
    events = [tuple(each) for each in json.loads(str(made["events"]))]
    return [hear(ArraySource(sound.astype(np.float32))) for sound in sounds], events  # type: ignore[return-value]


def rows_of(heard: list[Heard], events: list[Event]) -> Iterator[tuple[str, judge.Measures, bool]]:
    """Kind, measures, and whether it is one, of all that may be a find."""
    features, sounds = [each.features for each in heard], [each.sounds for each in heard]
    people = activities(features)
    spans = {
        (n, kind): [(a, b) for who, called, a, b, *_ in events if who == n and called in names]
        for n in range(len(people)) for kind, names in CALLED.items()
    }  # fmt: skip

    def right(n: int, kind: str, start: int, stop: int) -> bool:
        return any(alike(start / PER_S, stop / PER_S, *span) > ALIKE[kind] for span in spans[n, kind])

    for n, person in enumerate(people):
        over, loudest = over_room(features[n].parts), breathing.loudest_of(features[n])
        for run in breathing.candidates_of(features[n], sounds[n], person):
            is_one = right(n, "breath", *run)
            yield "breath", breathing.measures(run, n, over, loudest, features, sounds[n], person), is_one
            if is_one:
                person.talking[run[0] : run[1]] = False
    for n, person in enumerate(people):
        clear = clearness(sounds[n], person)
        for each in fillers.candidates_of(sounds[n], person):
            measures = fillers.measures(each, features[n], sounds[n], person, clear)
            yield "filler", measures, right(n, "filler", each.first, each.last)
        words = words_of(sounds[n], person)
        own = said_by(sounds[n], words)
        tries = restarts.candidates_of(sounds[n], words, own)
        for one, apart in zip(tries, restarts.standing_out(tries, own), strict=True):
            measures = restarts.measures(one, features[n], sounds[n], person, words, clear, apart)
            yield "restart", measures, right(n, "restart", one.start, one.stop)
        for said in agreement.candidates_of(n, people):
            yield (
                "agreement",
                agreement.measures(said, sounds[n], person, clear),
                right(n, "agreement", said.first, said.last),
            )


def alike(a: float, b: float, c: float, d: float) -> float:
    """How much of both stretches they share."""
    shared = min(b, d) - max(a, c)
    return max(shared, 0.0) / (max(b, d) - min(a, c))


def sample(number: int) -> tuple[list[Heard], list[Event]]:
    """The talk of the sample under one of the conditions of the benches: it is paced as a show is."""
    talk = of_show(VOICES, CONDITIONS[number], 200 + number)
    told = {"false_start": "restart", "repeat": "restart", "backchannel": "agree"}
    events = [
        (each.person, told.get(each.manner, each.manner), each.start, each.end, each.word, "") for each in talk.events
    ]
    return [hear(source) for source in talk.sources], events


def measure(out: Path, variants: int, path: Path) -> None:
    for variant in range(variants):
        _keep(out / f"{path.stem}-{variant}.npz", *conversation(path, variant))


def measure_sample(out: Path, number: int) -> None:
    _keep(out / f"show-{number}.npz", *sample(number))


def _keep(path: Path, heard: list[Heard], events: list[Event]) -> None:
    rows = list(rows_of(heard, events))
    columns: dict[str, Any] = {}
    for kind in KINDS:
        measured = [row for k, row, _ in rows if k == kind]
        columns[kind] = np.array([[*row.values()] for row in measured], np.float32)
        columns[f"{kind}_names"] = [*measured[0]] if measured else []
        columns[f"{kind}_right"] = np.array([right for k, _, right in rows if k == kind])
    np.savez(path, **columns)


def gathered(folder: Path, kind: str) -> tuple[list[str], Any, Any]:
    """Names of the measures, the measures, and which of them are of a find."""
    kept = [each for path in sorted(folder.glob("*.npz")) if (each := np.load(path))[kind].size]
    rows = np.concatenate([each[kind] for each in kept])
    return kept[0][f"{kind}_names"].tolist(), rows, np.concatenate([each[f"{kind}_right"] for each in kept])


def train(folder: Path, out: Path, kinds: list[str]) -> None:
    """Judges of some kinds, written to those of the others where there are any."""
    from sklearn.linear_model import LogisticRegression

    weights = dict(np.load(out)) if out.exists() else {}
    for kind in kinds:
        names, rows, right = gathered(folder, kind)
        mean, spread = rows.mean(axis=0), rows.std(axis=0) + 1e-3
        seen = np.clip((rows - mean) / spread, -judge.FARTHEST, judge.FARTHEST)
        weight = np.where(right, 1.0, WRONG.get(kind, 1.0))
        fitted = LogisticRegression(C=0.3, max_iter=1000).fit(seen, right, weight)
        parts = (mean, spread, fitted.coef_[0], fitted.intercept_[0])
        weights |= {f"{kind}_{name}": np.float32(part) for name, part in zip(judge.PARTS, parts, strict=True)}
        weights[f"{kind}_names"] = np.array(names)
        print(kind, rows.shape, right.mean())
    np.savez(out, **weights)


def told(folder: Path) -> None:
    for kind in KINDS:
        names, rows, right = gathered(folder, kind)
        sure = judge.sure(kind, [dict(zip(names, row, strict=True)) for row in rows.tolist()])
        print(kind, "of", len(rows), "right", int(right.sum()))
        for low in (0.0, 0.1, 0.3, 0.5, 0.7, 0.8, 0.9):
            here = (sure >= low) & (sure < (1.1 if low == 0.9 else low + 0.2 if low < 0.7 else low + 0.1))
            share, above = right[here].mean() if here.any() else 0, sure >= low
            precision, kept = right[above].mean(), right[above].sum() / right.sum()
            print(
                f"  {low:.1f}: {here.sum():5} right {share:.2f}  from here: precision {precision:.2f}, kept {kept:.2f}"
            )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["measure", "train", "told"])
    parser.add_argument("folder", type=Path)
    parser.add_argument("out", type=Path, nargs="?")
    parser.add_argument("--variants", type=int, default=2)
    parser.add_argument("--sample", action="store_true", help="the sample, too: it is paced as a show is")
    parser.add_argument("--kinds", nargs="+", default=KINDS, help="of which kinds")
    asked = parser.parse_args()
    if asked.what == "measure":
        asked.out.mkdir(parents=True, exist_ok=True)
        with ProcessPoolExecutor() as pool:
            list(pool.map(partial(measure, asked.out, asked.variants), sorted(asked.folder.glob("[0-9]???.npz"))))
            if asked.sample:
                list(pool.map(partial(measure_sample, asked.out), range(len(CONDITIONS))))
    elif asked.what == "train":
        train(asked.folder, asked.out, asked.kinds)
    else:
        told(asked.folder)


if __name__ == "__main__":
    main()
