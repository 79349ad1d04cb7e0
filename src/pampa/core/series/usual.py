"""How a person usually sounds in a show, and how far one episode lies from that."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.likeness import SHOWN_HZ, Likeness

USUAL_OVER = 5
"""So many episodes, the latest before the one in question, tell how a person usually sounds."""
MOVED_LU, MOVED_DB = 3.0, 4.0
"""What is plainly heard as another distance or another room: so far, or so much over the whole spectrum."""
MOVED_DYNAMICS_LU, MOVED_FLOOR_DB, MOVED_DECAY_S = 3.0, 10.0, 0.15


@dataclass(frozen=True)
class Departure:
    """How an episode differs from a person's usual; None where one of both is not known.

    level_lu, dynamics_lu, floor_db, decay_s : more than usual if positive. tone_db : root mean square over the bands of
    the spectrum, with `bands_db` for each of them.
    """

    level_lu: float | None
    tone_db: float | None
    dynamics_lu: float | None
    floor_db: float | None
    decay_s: float | None
    bands_db: tuple[float, ...]

    @property
    def told(self) -> tuple[str, ...]:
        """What is plainly heard of it, in words; nothing for somebody who sounds as ever."""
        said = []
        if self.level_lu is not None and abs(self.level_lu) > MOVED_LU:
            said.append(f"{abs(self.level_lu):.1f} LU {'louder' if self.level_lu > 0 else 'softer'}")
        if self.tone_db is not None and self.tone_db > MOVED_DB:
            said.append(f"tone {self.tone_db:.1f} dB off")
        if self.dynamics_lu is not None and abs(self.dynamics_lu) > MOVED_DYNAMICS_LU:
            said.append(f"{abs(self.dynamics_lu):.1f} LU {'less' if self.dynamics_lu > 0 else 'more'} even")
        if self.floor_db is not None and self.floor_db > MOVED_FLOOR_DB:
            said.append(f"room {self.floor_db:.0f} dB louder")
        if self.decay_s is not None and self.decay_s > MOVED_DECAY_S:
            said.append(f"rings {self.decay_s:.2f} s longer")
        return tuple(said)


def usual(before: Sequence[Likeness]) -> Likeness | None:
    """What is usual for a person: the median of each figure over the latest episodes. before : in order of time."""
    latest = before[-USUAL_OVER:]
    if not latest:
        return None
    spectra = [each.spectrum_db for each in latest if each.spectrum_db]
    spectrum = tuple(np.round(np.median(spectra, axis=0), 2).tolist()) if spectra else ()
    gain_db = float(np.median([each.gain_db for each in latest]))
    return Likeness(
        _median([each.speech_lufs for each in latest]), _median([each.spread_lu for each in latest]),
        _median([each.floor_lufs for each in latest]), spectrum, gain_db, _median([each.decay_s for each in latest]),
    )  # fmt: skip


def departure(now: Likeness, before: Sequence[Likeness]) -> Departure | None:
    """How somebody differs from their usual; None for a first time. before : the earlier episodes, in order of time."""
    ever = usual(before)
    if ever is None:
        return None
    bands: tuple[float, ...] = ()
    tone = None
    if now.spectrum_db and ever.spectrum_db:
        apart = np.array(now.spectrum_db) - np.array(ever.spectrum_db)
        shown = (SHOWN_HZ[0] <= BANDS_HZ) & (SHOWN_HZ[1] >= BANDS_HZ)
        bands = tuple(np.round(apart, 2).tolist())
        tone = round(float(np.sqrt(np.mean(apart[shown] ** 2))), 1)
    return Departure(
        _less(now.speech_lufs, ever.speech_lufs), tone, _less(now.spread_lu, ever.spread_lu),
        _less(now.floor_lufs, ever.floor_lufs), _less(now.decay_s, ever.decay_s, 2), bands,
    )  # fmt: skip


def _median(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return float(np.median(known)) if known else None


def _less(now: float | None, ever: float | None, digits: int = 1) -> float | None:
    return None if now is None or ever is None else round(now - ever, digits)
