"""A voice treatment in numbers: what is kept with a show and a person."""

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le

Amount = Annotated[float, Ge(0), Le(100)]
LowCutHz = Annotated[float, Ge(0), Le(300)]
BodyDb = Annotated[float, Ge(-12), Le(12)]
PresenceDb = Annotated[float, Ge(-12), Le(12)]
Ratio = Annotated[float, Ge(1), Le(8)]


@dataclass(frozen=True)
class Recipe:
    """How one person's voice is treated. The defaults suit most voices at a hand's distance.

    level : how far every phrase is brought to one loudness, 0 to 100; 0 leaves it out.
    low_cut_hz : corner of the low cut, 24 dB per octave; 0 leaves it out.
    body_db : bell at 300 Hz, where rooms and close microphones pile up.
    presence_db : shelf from 4.5 kHz, where words become clear.
    ratio : of the compressor; 1 leaves it out. Its threshold follows the measured speech level.
    """

    low_cut_hz: LowCutHz = 80.0
    body_db: BodyDb = -2.0
    presence_db: PresenceDb = 2.0
    ratio: Ratio = 2.5
    level: Amount = 0.0
