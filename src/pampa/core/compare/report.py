"""A comparison as text, to be sent to somebody."""

from collections.abc import Sequence
from dataclasses import dataclass

from pampa.core.compare.by_cut import Difference
from pampa.core.deliver.chapters import short_clock
from pampa.core.loudness import Loudness


@dataclass(frozen=True)
class Side:
    """One of the two: its name, its length, and how it measures."""

    name: str
    seconds: float
    loudness: Loudness


def report(here: Side, there: Side, differences: Sequence[Difference]) -> str:
    """Figures of both beside each other, then what differs, with its place in each."""
    rows = [
        ("length", short_clock(here.seconds), short_clock(there.seconds)),
        ("integrated", _lufs(here.loudness.integrated_lufs), _lufs(there.loudness.integrated_lufs)),
        ("range", _unit(here.loudness.loudness_range_lu, "LU"), _unit(there.loudness.loudness_range_lu, "LU")),
        ("true peak", _unit(here.loudness.true_peak_dbtp, "dBTP"), _unit(there.loudness.true_peak_dbtp, "dBTP")),
    ]
    wide = max(len(here.name), 14)
    lines = [f"{'':<12}{here.name:<{wide}}  {there.name}"]
    lines += [f"{name:<12}{one:<{wide}}  {other}" for name, one, other in rows]
    lines.append("")
    if not differences:
        lines.append("Nothing else differs.")
    for each in differences:
        places = [short_clock(place) if place is not None else "–" for place in (each.here_s, each.there_s)]
        where = "" if each.here_s is None and each.there_s is None else f"{places[0]} / {places[1]}"
        lines.append(f"{where:<16}{each.told}")
    return "\n".join(lines) + "\n"


def _lufs(value: float | None) -> str:
    return _unit(value, "LUFS")


def _unit(value: float | None, unit: str) -> str:
    return "–" if value is None else f"{value:.1f} {unit}".replace("-", "−")
