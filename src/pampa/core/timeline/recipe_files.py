"""A recipe as a plain JSON file, so that it can be kept, read and sent anywhere."""

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.mend.amounts import Amounts, amounts_of
from pampa.core.timeline.limits import hold
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.starts import STARTS

FORM = 1
LONGEST_NAME = 120


@dataclass(frozen=True)
class Written:
    """What a recipe file holds: how recordings are mended, how a voice is treated, or both; and whose it was."""

    name: str
    person: str = ""
    mending: Amounts | None = None
    voice: Recipe | None = None


def to_json(recipe: Written) -> str:
    """The text of a recipe file. What belongs to places of one recording is left out."""
    mending = None
    if recipe.mending is not None:
        told = asdict(recipe.mending.alike())
        mending = {
            name: value for name, value in told.items() if name not in ("among", "spots", "noise_from", "noise_to")
        }
    voice = None if recipe.voice is None else asdict(recipe.voice)
    content = {"recipe": FORM, "name": recipe.name, "person": recipe.person, "mending": mending, "voice": voice}
    return json.dumps(content, indent=2) + "\n"


def from_json(text: str, *, called: str) -> Written:
    """A recipe file read; what it does not name keeps its default. called : the file, for what is said.

    Raises EditRefused where it is no recipe, or a number in it is beyond its limits.
    """
    try:
        content = json.loads(text)
    except ValueError:
        content = None
    if not isinstance(content, Mapping) or content.get("recipe") != FORM:
        raise EditRefused(
            f"{called} is not a recipe of Pampa. Nothing was changed. Keep one from Balance and try that."
        )
    parts: dict[str, Any] = {}
    for name, kind in (("mending", Amounts), ("voice", Recipe)):
        part = content.get(name)
        if part is not None:
            if not isinstance(part, Mapping):
                raise EditRefused(f"{called}: {name} has the wrong form. Nothing was changed.")
            hold(kind, part, where=f"{called}: {name}: ")
            parts[name] = amounts_of(part).alike() if kind is Amounts else Recipe(**part)
    if not parts:
        raise EditRefused(f"{called} holds neither amounts of Mend nor settings of a voice. Nothing was changed.")
    name, person = (str(content.get(key) or "")[:LONGEST_NAME] for key in ("name", "person"))
    return Written(name or called, person, **parts)


def start_called(name: str) -> Recipe | None:
    """A starting point by its name, however it is written."""
    return STARTS.get(name.strip().casefold().replace("-", " ").replace("_", " "))
