"""What processes have measured, as named arrays and back: for files that are read again after a restart."""

from collections.abc import Mapping
from dataclasses import fields
from typing import Any

import numpy as np

from pampa.core.mend.hum import HumTrack
from pampa.core.mend.patches import Patches
from pampa.core.mend.processes import Knowledge
from pampa.core.mend.profile import Profile

KINDS = {kind.__name__: kind for kind in (HumTrack, Patches, Profile)}


def pack(known: Knowledge) -> dict[str, Any]:
    """Arrays by name; `kind` says of what."""
    if known is None:
        return {"kind": "nothing"}
    name = type(known).__name__
    if name in KINDS:
        return {"kind": name, **{field.name: getattr(known, field.name) for field in fields(known)}}
    return {"kind": "array" if isinstance(known, np.ndarray) else "value", "value": known}


def unpack(arrays: Mapping[str, Any]) -> Knowledge:
    """What `pack` was given."""
    kind = str(arrays["kind"])
    if kind == "nothing":
        return None
    if kind == "array":
        return arrays["value"]
    if kind == "value":
        return arrays["value"].item()
    values = {field.name: arrays[field.name] for field in fields(KINDS[kind])}
    return KINDS[kind](**{name: value.item() if value.ndim == 0 else value for name, value in values.items()})
