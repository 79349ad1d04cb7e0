"""What a check-up proposes, beside the most that its processes can do: `./pampa bench proposals [--voices FOLDER]`.

Each fault is mended by hand (its process in full, nothing else) and as proposed. What is won is the fall of the whole
error of the magnitudes of the spectrum, in dB: errors of the fault and harm elsewhere together. The first part is what
thresholds were set on: the sample's voices. The second has other voices, rooms, noises, thumps and codecs.
"""

from collections import defaultdict
from collections.abc import Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.signal import stft

from bench.spoilt import Mono, Spoilt, spoilt, talk_of
from pampa.core.checkup.clipping import ClipFinder
from pampa.core.executor import Inline
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import measure, mended
from pampa.core.mend.processes import Facts
from pampa.core.proposals.findings import findings
from pampa.core.proposals.proposed import proposed
from pampa.core.proposals.trying import checked_up
from pampa.core.sound import ArraySource
from pampa.core.voice.recipe import UNTREATED, Recipe
from pampa.core.voice.voice_file import voice_in
from pampa.demo.assemble import VOICES

KEPT_DB = 60.0
Rows = Mapping[str, list[tuple[float, float]]]


def main(voices: Path | None) -> None:
    print(f"{'':<24}{'by hand':>9}{'proposed':>10}{'share':>7}{'worse':>7}   dB won; of good talk: dB kept", flush=True)
    for name, folder, other in (("the sample's voices", VOICES, False), ("left out", voices, True)):
        if folder is None:
            continue
        print(name)
        for kind, pairs in won(folder, other).items():
            hand, auto = np.array(pairs).T
            share = f"{auto.mean() / hand.mean():>7.0%}" if kind != "good" else f"{'':>7}"
            worse = f"{int((auto < -0.5).sum()):>4}/{auto.size}" if kind != "good" else ""
            print(f"  {kind:<22}{hand.mean():>9.1f}{auto.mean():>10.1f}{share}{worse:>7}", flush=True)


def won(folder: Path, other: bool) -> Rows:
    """By kind of fault, dB won by hand and as proposed."""
    rows: dict[str, list[tuple[float, float]]] = defaultdict(list)
    for seed, speech in enumerate(talk_of(folder)):
        for item in spoilt(speech, seed, other=other):
            source = ArraySource(item.sound[:, None].astype(np.float32))
            clipped = clipped_in(source)
            found = findings(checked_up(source, clipped=clipped))
            sharp = max((float(each.amount or 0) for each in found if each.kind == "sibilance"), default=0.0)
            by_hand = {name: amount for name, amount in item.hand.items() if name != "sibilance"}
            rows[item.kind].append((
                fall(item, treated(source, Amounts(**by_hand), item.hand.get("sibilance", 0.0), clipped)),
                fall(item, treated(source, proposed(found), sharp, clipped)),
            ))  # fmt: skip
    return rows


def treated(source: ArraySource, amounts: Amounts, sharp: float, clipped: NDArray[np.float64]) -> Mono:
    known = measure(source, amounts, Facts(clipped))
    clean = ArraySource(np.concatenate(list(mended(source, amounts, known))))
    if sharp:
        recipe = Recipe(**{**vars(UNTREATED), "sibilance": sharp})
        clean = ArraySource(np.concatenate([part.sound for part in voice_in(clean).treated(recipe, Inline())]))
    return clean.data[:, 0].astype(np.float64)


def clipped_in(source: ArraySource) -> NDArray[np.float64]:
    finder = ClipFinder(source.rate)
    finder.add(source.data)
    return finder.found()


def fall(item: Spoilt, sound: Mono) -> float:
    """By how many dB the error fell; of good talk, how far what was changed lies under it."""
    clean, before, after = (np.abs(stft(x, nperseg=1024)[2]) for x in (item.clean, item.sound, sound))
    if item.kind == "good":
        return float(min(10 * np.log10((clean**2).sum() / max(((after - clean) ** 2).sum(), 1e-30)), KEPT_DB))
    errors = [((heard - clean) ** 2).sum() for heard in (before, after)]
    return float(10 * np.log10(errors[0] / errors[1]))
