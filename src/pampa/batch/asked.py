"""What an episode is to be like, from a plan file in JSON."""

import json
from pathlib import Path

from pampa.batch.whole_episode import Asked
from pampa.core.errors import SignalError
from pampa.core.straight.steps import NAMES

ROLES = ("person", "reference", "spot", "music", "effects", "room tone")
HERE = {"ticked", "longer_s", "keep_s", "sure", "title", "number", "people", "roles"}


def read_asked(plan: Path | None) -> Asked:
    """What stands in a plan file. Raises SignalError for what is none, and says where."""
    if plan is None:
        return Asked()
    try:
        return asked_in(plan.read_text("utf-8"), str(plan))
    except OSError as error:
        raise SignalError(f"{plan} could not be read: {error.strerror}. Nothing was made.") from error
    except UnicodeDecodeError as error:
        raise SignalError(f"{plan} is not text in UTF-8. Nothing was made.") from error


def asked_in(text: str, plan: str) -> Asked:
    """What a plan asks for. plan : what it is called where it is wrong."""
    try:
        told = json.loads(text)
    except ValueError as error:
        line = getattr(error, "lineno", 1)
        raise SignalError(f"{plan} is no JSON (line {line}). Nothing was made.") from error
    if not isinstance(told, dict) or set(told) - HERE:
        strange = ", ".join(sorted(set(told) - HERE)) if isinstance(told, dict) else "what it holds"
        raise SignalError(f"{plan}: {strange} is not known. It may hold {', '.join(sorted(HERE))}. Nothing was made.")
    ticked = told.get("ticked")
    if ticked is not None and (not isinstance(ticked, list) or not set(ticked) <= set(NAMES)):
        raise SignalError(f"{plan}: ticked is a list of {', '.join(NAMES)}. Nothing was made.")
    for name, low, high in (("longer_s", 0.3, 60), ("keep_s", 0.1, 10), ("sure", 0.5, 1)):
        value = told.get(name, low)
        if not isinstance(value, (int, float)) or not low <= value <= high:
            raise SignalError(f"{plan}: {name} lies from {low:g} to {high:g}. Nothing was made.")
    wants = {name: tuple(told[name]) if name == "ticked" else told[name]
             for name in ("ticked", "longer_s", "keep_s", "sure") if name in told}  # fmt: skip
    people, roles = told.get("people", {}), told.get("roles", {})
    if not isinstance(people, dict) or not isinstance(roles, dict):
        raise SignalError(f"{plan}: people and roles go by the names of files. Nothing was made.")
    if not set(roles.values()) <= set(ROLES):
        raise SignalError(f"{plan}: a role is one of {', '.join(ROLES)}. Nothing was made.")
    return Asked(wants, str(told.get("title", "")), told.get("number"), people, roles)
