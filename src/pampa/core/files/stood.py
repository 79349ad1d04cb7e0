"""The loudness of an episode's stretches in a file, so that an episode which is opened again is not measured again."""

import zipfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from pampa.core.arrays import arrays_in
from pampa.core.errors import DiskFull
from pampa.core.files.room import require_room
from pampa.core.files.whole import whole
from pampa.core.loudness import LoudnessPart
from pampa.core.mix.key import VERSION


def stood(path: Path) -> dict[bytes, LoudnessPart]:
    """What was kept, by the keys of stretches; nothing where that was of another version, or cannot be read."""
    try:
        arrays = arrays_in(path)
        if int(arrays["version"]) != VERSION:
            return {}
        energies = np.split(arrays["energies"], np.cumsum(arrays["cells"])[:-1])
        peaks = arrays["peaks"].tolist()
        return {
            key.tobytes(): LoudnessPart(energy, *both)
            for key, energy, both in zip(arrays["keys"], energies, peaks, strict=True)
        }
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        return {}


def keep_stood(path: Path, parts: Mapping[bytes, LoudnessPart]) -> None:
    """Keep them in the place of what was there. On a full disk they are not kept, and nothing else happens."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        require_room(path.parent)
        with whole(path) as making:
            np.savez(
                making,
                version=VERSION,
                keys=np.frombuffer(b"".join(parts), np.uint8).reshape(len(parts), -1),
                cells=[part.energy.size for part in parts.values()],
                energies=np.concatenate([part.energy for part in parts.values()]),
                peaks=[(part.sample_peak, part.true_peak) for part in parts.values()],
            )
    except (OSError, DiskFull):
        return
