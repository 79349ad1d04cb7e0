"""A voice treatment in numbers: what is kept with a show and a person."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Recipe:
    """How one person's voice is treated. The defaults suit most voices at a hand's distance.

    low_cut_hz : corner of the low cut, 24 dB per octave; 0 leaves it out. 0 to 300.
    body_db : bell at 300 Hz, where rooms and close microphones pile up. -12 to 12.
    presence_db : shelf from 4.5 kHz, where words become clear. -12 to 12.
    ratio : of the compressor; 1 leaves it out. 1 to 8. Its threshold follows the measured speech level.
    """

    low_cut_hz: float = 80.0
    body_db: float = -2.0
    presence_db: float = 2.0
    ratio: float = 2.5
