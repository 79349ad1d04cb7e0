"""Loudness and peaks of one file."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from pampa.core.files.decode import open_sound
from pampa.core.files.deliver import measure_file
from pampa.core.loudness import summarise


def figures(path: Path) -> dict[str, Any]:
    """What is measured of one file, with None where a figure is not defined."""
    with open_sound(path) as sound:
        rate, channels = sound.rate, sound.channels
    part, frames = measure_file(path)
    figures = {name: None if value is None else round(value, 3) for name, value in asdict(summarise(part)).items()}
    return {
        "file": str(path), "duration_s": round(frames / rate, 3), "sample_rate": rate, "channels": channels, **figures,
    }  # fmt: skip
