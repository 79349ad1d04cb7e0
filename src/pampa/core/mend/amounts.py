"""How much of each process: what a person sets for one recording, and what a recipe keeps."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated, Any

from annotated_types import Ge, Le, MaxLen

from pampa.core.mend.spots import Seconds, Spot

Amount = Annotated[float, Ge(0), Le(100)]


@dataclass(frozen=True)
class Other:
    """Somebody else in the conversation: their recording begins `begins` frames later, and its clock runs against
    this one's by `drift_ppm`."""

    recording: int
    begins: int
    drift_ppm: float = 0.0


@dataclass(frozen=True)
class Amounts:
    """Amounts from 0 to 100; polarity and phase rotation are on or off.

    hiss : of noise above 8 kHz; None for as much as below. noise_from, noise_to : where noise is alone, in seconds of
    the recording, to learn it from; None to follow it along the whole recording. spots : single places, worked by hand.
    among : the others in the conversation, where it hangs on them; an episode tells it, nobody sets it.
    """

    polarity: bool = False
    drop_outs: Amount = 0.0
    clipping: Amount = 0.0
    hum: Amount = 0.0
    rumble: Amount = 0.0
    clicks: Amount = 0.0
    plosives: Amount = 0.0
    breaths: Amount = 0.0
    noise: Amount = 0.0
    hiss: Amount | None = None
    reverb: Amount = 0.0
    bleed: Amount = 0.0
    sharing: Amount = 0.0
    gate: Amount = 0.0
    phase: bool = False
    noise_from: Seconds | None = None
    noise_to: Seconds | None = None
    spots: Annotated[tuple[Spot, ...], MaxLen(500)] = ()
    among: tuple[Other, ...] = ()

    def alike(self) -> "Amounts":
        """The same for another recording: what belongs to places of this one is left out."""
        return replace(self, noise_from=None, noise_to=None, spots=(), among=())

    @property
    def region(self) -> tuple[float, float] | None:
        """Where the noise is learned from, in seconds."""
        if self.noise_from is None or self.noise_to is None:
            return None
        return self.noise_from, self.noise_to

    def of(self, process: str) -> float:
        """How much of a process, 0 to 1."""
        if process == "noise":
            return max(self.noise, self.hiss or 0.0) / 100
        if process == "spots":
            return float(bool(self.spots))
        amount = getattr(self, process)
        return float(amount) if isinstance(amount, bool) else amount / 100


USUAL = Amounts(
    drop_outs=100, clipping=100, hum=100, rumble=100, clicks=100, plosives=70, breaths=50, noise=50, reverb=35,
    bleed=70, sharing=100, gate=40,
)  # fmt: skip
"""How much of a process is usual where a person puts it on: all of a fault, some of what is a matter of taste."""


def amounts_in_words(amounts: Amounts) -> str:
    """Which processes are on and how far: hum 100 %, noise 35 %."""
    told = []
    for name, value in vars(amounts.alike()).items():
        words = name.replace("_", "-")
        if value is True:
            told.append(words)
        elif isinstance(value, (int, float)) and value:
            told.append(f"{words} {value:.0f} %")
    return ", ".join(told)


def amounts_of(data: Mapping[str, Any]) -> Amounts:
    """Amounts from plain data, such as `asdict` makes of them; who is among them is told anew."""
    places = {"spots": tuple(Spot(**spot) for spot in data.get("spots", ())), "among": ()}
    return Amounts(**{**data, **places})
