"""How well recordings are lined up, on seeded conversations whose truth is known: `./pampa bench sync`."""

import time

import numpy as np

from bench.conversations import Case, conversation, double_ender, in_one_room, with_claps
from bench.conversations import at_work_rate as narrowed
from bench.slates import slated
from pampa.core.sync.align import Alignment, align_sounds
from pampa.core.sync.features import WORK_RATE


def worst_ms(case: Case, found: Alignment) -> float:
    """The largest misfit anywhere along the recording, in ms. A second around a break does not count.

    Where the call itself jumped, its delay is one of two; what counts is that one of them is met everywhere.
    """
    local = np.arange(0, len(case.local) / WORK_RATE, 0.5)
    truth = case.offset_s + local * (1 + case.drift_ppm * 1e-6)
    made = found.clock.offset_s + local * (1 + found.clock.drift_ppm * 1e-6)
    clear = np.ones(local.size, bool)
    for at, by in case.breaks:
        truth += by * (local >= at)
    for cut in found.breaks:
        made += cut.jump_s * (local >= cut.at_s)
        for at, _ in case.breaks:
            clear &= (local < min(at, cut.at_s) - 1) | (local > max(at, cut.at_s) + 1) | (abs(at - cut.at_s) > 30)
    return float(1000 * min(np.abs(truth + late - made)[clear].max() for late in {0.0, case.call_jump_s}))


def cases(minutes: int) -> list[tuple[str, Case]]:
    """Name and case; the same names with several seeds."""
    listed = []
    for seed in (1, 2, 3):
        rng = np.random.default_rng(seed)
        offset, drift = rng.uniform(-60, 60), rng.uniform(-80, 80)
        listed += [
            ("3 min, any offset and drift", double_ender(180, seed, offset_s=offset, drift_ppm=drift)),
            ("20 min, noise", double_ender(1200, seed + 10, offset_s=offset, drift_ppm=drift, noise_db=-38)),
            ("10 min, the call jumps by 20 ms", double_ender(600, seed + 20, drift_ppm=drift, jump=(250, 0.02))),
            ("10 min, recorder stopped for 7 s", double_ender(600, seed + 30, drift_ppm=drift, stop=(280.0, 7.0))),
            ("10 min, recorder stopped for 0.5 s", double_ender(600, seed + 40, drift_ppm=drift, stop=(300.0, 0.5))),
            ("10 min, a tenth of the talk, echo, starved codec",
             double_ender(600, seed + 50, drift_ppm=drift, share=0.1, echo_s=0.5, codec_hz=2400, bleed=0.0)),
            ("10 min, the same with bleed",
             double_ender(600, seed + 50, drift_ppm=drift, share=0.1, echo_s=0.5, codec_hz=2400, bleed=0.03)),
            ("5 min, one room, no call", in_one_room(300, seed + 60, drift_ppm=drift / 4)),
            ("5 min, claps alone", with_claps(300, seed + 70, drift_ppm=drift / 4)),
            ("5 min, one clap, slams and knocks", slated(300, seed + 80, claps=1)),
            ("20 min, one clap, slams and knocks", slated(1200, seed + 90, claps=1, others=12)),
            ("90 s, two claps, slams and knocks", slated(90, seed + 95, claps=2)),
        ]  # fmt: skip
    return [*listed, (f"{minutes} min", double_ender(minutes * 60, 99, offset_s=41.0, drift_ppm=-63.0))]


def strangers() -> list[tuple[str, Case]]:
    """Recordings that do not belong together, of the same people."""
    listed = []
    for seed in (1, 2, 3, 4):
        one, other = conversation(300, seed + 200), conversation(300, seed + 300)
        case = Case(narrowed(one[0] + one[1]), narrowed(other[1]), 0.0, 0.0)
        listed += [
            ("5 min, another conversation", case),
            ("5 min, another conversation with a clap", slated(300, seed + 400, claps=1, together=False)),
            ("60 min, slams and knocks alone", slated(3600, seed + 500, claps=0, others=20)),
        ]
    return listed


def main(minutes: int) -> None:
    print(f"{'':<52}{'found':>7}{'sure':>7}{'worst ms':>10}{'ppm off':>9}{'s':>7}")
    for name, case in cases(minutes):
        began = time.perf_counter()
        found = align_sounds(case.reference, case.local)
        spent = time.perf_counter() - began
        off = abs(found.clock.drift_ppm - case.drift_ppm)
        told = f"{worst_ms(case, found):>10.2f}{off:>9.2f}" if found.matched else f"{'-':>10}{'-':>9}"
        print(f"{name:<52}{'yes' if found.matched else 'no':>7}{found.confidence:>7.2f}{told}{spent:>7.1f}", flush=True)
    for name, case in strangers():
        found = align_sounds(case.reference, case.local)
        print(f"{name:<52}{'WRONG' if found.matched else 'no':>7}{found.confidence:>7.2f}", flush=True)
