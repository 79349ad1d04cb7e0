"""A voice treatment in numbers: what is kept with a show and a person."""

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le

Amount = Annotated[float, Ge(0), Le(100)]
LowCutHz = Annotated[float, Ge(0), Le(300)]
HighCutHz = Annotated[float, Ge(0), Le(20_000)]
Db = Annotated[float, Ge(-12), Le(12)]
Hz = Annotated[float, Ge(40), Le(16_000)]
Q = Annotated[float, Ge(0.3), Le(4)]
Ratio = Annotated[float, Ge(1), Le(8)]


@dataclass(frozen=True)
class Recipe:
    """How one person's voice is treated. The defaults suit most voices at a hand's distance.

    level : how far every phrase is brought to one loudness, 0 to 100; 0 leaves it out.
    low_cut_hz : corner of the low cut, 24 dB per octave; 0 leaves it out. high_cut_hz : of the high cut, 12 dB.
    lows_db : shelf under lows_hz, where a close voice is warm.
    body_db : bell where rooms and close microphones pile up. middle_db : bell where a box or a nose is heard.
    upper_db : bell where words are told apart. presence_db : shelf above, where words become clear.
    bands : how far body, middle and upper are held where they usually stand to one another.
    ratio : of the compressor; 1 leaves it out. Its threshold follows the measured speech level.
    sibilance : how far a sharp s is brought down. warmth : how much of a second and a third harmonic.
    nearer : how much nearer the person was brought by setting all of these at once; it does nothing by itself.
    """

    low_cut_hz: LowCutHz = 80.0
    body_db: Db = -2.0
    presence_db: Db = 2.0
    ratio: Ratio = 2.5
    level: Amount = 0.0
    lows_db: Db = 0.0
    lows_hz: Hz = 160.0
    body_hz: Hz = 300.0
    body_q: Q = 0.9
    middle_db: Db = 0.0
    middle_hz: Hz = 900.0
    middle_q: Q = 0.9
    upper_db: Db = 0.0
    upper_hz: Hz = 2800.0
    upper_q: Q = 0.9
    presence_hz: Hz = 4500.0
    high_cut_hz: HighCutHz = 0.0
    bands: Amount = 0.0
    sibilance: Amount = 0.0
    warmth: Amount = 0.0
    nearer: Amount = 0.0


UNTREATED = Recipe(low_cut_hz=0.0, body_db=0.0, presence_db=0.0, ratio=1.0)
"""Every stage is off: the samples stay the very same."""
