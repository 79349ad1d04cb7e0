"""The delivery sheet: what a file that goes out measures, decoded again, and what was done to reach it."""

from dataclasses import dataclass

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim, Solution
from pampa.core.loudness import Loudness, LoudnessPart, summarise
from pampa.core.loudness.gating import short_term_curve

TOLERANCE_LU = 0.1


@dataclass(frozen=True)
class DeliverySheet:
    """The measured report on one file. Loudness figures are those of the file, decoded again."""

    format: str
    rate: int
    channels: int
    duration_s: float
    size_bytes: int
    target_lufs: float
    ceiling_dbtp: float
    loudness: Loudness
    gain_db: float
    limiting_loss_lu: float
    met: bool
    reason: str | None
    short_term_lufs: list[float | None]
    """Short-term loudness every second, the first after 3 s."""
    rounds: int
    encoder_s: float


def is_met(loudness: Loudness, aim: Aim) -> bool:
    """Whether a file is within 0.1 LU of its target and not above its ceiling."""
    if loudness.integrated_lufs is None or loudness.true_peak_dbtp is None:
        return False
    near = abs(loudness.integrated_lufs - aim.target_lufs) <= TOLERANCE_LU
    return near and loudness.true_peak_dbtp <= aim.ceiling_dbtp


def sheet_of(
    decoded: LoudnessPart, aim: Aim, solution: Solution, fmt: Format, *, rate: int, channels: int,
    duration_s: float, size_bytes: int, rounds: int, encoder_s: float,
) -> DeliverySheet:  # fmt: skip
    """Put the sheet together."""
    loudness = summarise(decoded)
    met = is_met(loudness, aim)
    reason = None
    if not met:
        reason = solution.shortfall or _unmet(loudness, aim, lossy=fmt.lossy)
    return DeliverySheet(
        fmt.label, rate, channels, duration_s, size_bytes, aim.target_lufs, aim.ceiling_dbtp, loudness,
        solution.gain_db, solution.loss_lu, met, reason, short_term_curve(decoded.energy), rounds, encoder_s,
    )  # fmt: skip


def _unmet(loudness: Loudness, aim: Aim, *, lossy: bool) -> str:
    cause, advice = "the reading jumps over the target as the gain rises", "Choose a slightly different target"
    if lossy:
        cause, advice = "the encoder changes level and peaks too much", "Choose a higher bit rate"
    return (
        f"The file came out at {loudness.integrated_lufs or float('nan'):.1f} LUFS and "
        f"{loudness.true_peak_dbtp or float('nan'):.1f} dBTP: {cause}; wanted were "
        f"{aim.target_lufs:.1f} LUFS under {aim.ceiling_dbtp:.1f} dBTP. {advice}."
    )
