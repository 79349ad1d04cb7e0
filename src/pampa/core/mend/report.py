"""What mending did to a recording, in figures and in words."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pampa.core.mend.clean import Measured

DID = {
    "polarity": "the wave turned over", "drop_outs": "{count} drop-outs filled",
    "clipping": "{count} clipped places rebuilt", "hum": "hum at {hz:.2f} Hz, {count} harmonics subtracted",
    "rumble": "cut below {hz:.0f} Hz", "clicks": "{count} clicks taken out", "plosives": "thumps pressed down",
    "breaths": "{count} breaths lowered", "noise": "noise lowered", "reverb": "the room lowered",
    "bleed": "{count} turns of others lowered", "gate": "{count} pauses lowered",
    "sharing": "the room shared with the other microphones",
    "spots": "single places worked on", "phase": "phase turned by {degrees:.0f} degrees",
}  # fmt: skip


@dataclass(frozen=True)
class Deed:
    """One process that found something to do, and its figures."""

    process: str
    figures: Mapping[str, Any]

    @property
    def words(self) -> str:
        return DID[self.process].format(**self.figures)


def deeds(measured: Measured) -> list[Deed]:
    """What each process does, in the order that they work in. What found nothing to do is left out."""
    return [Deed(name, _figures(name, known)) for name, known in measured.items() if known is not None]


@dataclass(frozen=True)
class Mark:
    """A place where a process found something, in frames of the recording."""

    process: str
    start: int
    stop: int


def marks(measured: Measured) -> list[Mark]:
    """The places of clips, clicks, drop-outs and breaths, in order of time."""
    found: list[Mark] = []
    for name, known in measured.items():
        if name in ("clipping", "clicks", "drop_outs") and known is not None:
            found += [Mark(name, int(a), int(b)) for a, b in zip(known.starts, known.stops, strict=True)]
        if name == "breaths" and known is not None:
            found += [Mark(name, int(a), int(b)) for a, b in known]
    return sorted(found, key=lambda mark: mark.start)


def _figures(name: str, known: Any) -> dict[str, Any]:
    if name in ("clipping", "clicks", "drop_outs"):
        return {"count": len(known.starts)}
    if name in ("breaths", "bleed", "gate"):
        return {"count": len(known)}
    if name == "hum":
        return {"hz": round(known.hz, 3), "count": len(known.harmonics), "harmonics": list(known.harmonics)}
    if name == "rumble":
        return {"hz": round(known, 1)}
    if name == "phase":
        return {"degrees": round(math.degrees(known))}
    return {}
