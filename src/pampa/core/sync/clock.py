"""The relation of two clocks. The sign convention is written here and nowhere else."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Clock:
    """Where a recording's own time lies on the reference: reference = offset + local * (1 + drift)."""

    offset_s: float
    drift_ppm: float

    def to_reference(self, local_s: float) -> float:
        return self.offset_s + local_s * (1 + self.drift_ppm * 1e-6)

    def to_local(self, reference_s: float) -> float:
        return (reference_s - self.offset_s) / (1 + self.drift_ppm * 1e-6)
