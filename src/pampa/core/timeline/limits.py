"""What an edit may be told, as types with bounds; and holding plain data to them.

The bounds stand here and in `parameters.py`, and nowhere else: the schemas of the web are derived from them.
"""

import math
import types
from collections.abc import Mapping
from dataclasses import MISSING, fields, is_dataclass
from functools import cache
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

from annotated_types import BaseMetadata, Ge, Gt, Le, Lt, MaxLen, MinLen

from pampa.core.errors import EditRefused

MOST_FRAMES = 1 << 40
MOST_CLIPS = 20_000
MOST_POINTS = 2_000

Place = Annotated[int, Ge(0), Le(MOST_FRAMES)]
"""Frames from the beginning of the episode, or of a recording."""
Length = Annotated[int, Gt(0), Le(MOST_FRAMES)]
Shift = Annotated[int, Ge(-MOST_FRAMES), Le(MOST_FRAMES)]
Number = Annotated[int, Ge(0), Lt(1 << 63)]
"""Of a track, clip, seam, marker or recording."""
LOUDEST_DB, SOFTEST_DB = 24.0, -60.0
Level = Annotated[float, Ge(SOFTEST_DB), Le(LOUDEST_DB)]
"""A gain in dB."""
Words = Annotated[str, MaxLen(80)]

ASKED = {
    Ge: ("ge", "at least {}", lambda value, bound: value >= bound),
    Gt: ("gt", "more than {}", lambda value, bound: value > bound),
    Le: ("le", "at most {}", lambda value, bound: value <= bound),
    Lt: ("lt", "less than {}", lambda value, bound: value < bound),
    MinLen: ("min_length", "at least {} long", lambda value, bound: len(value) >= bound),
    MaxLen: ("max_length", "at most {} long", lambda value, bound: len(value) <= bound),
}
PLAIN = {int: "a whole number", float: "a number", str: "words", bool: "yes or no"}


@cache
def hints_of(kind: type) -> dict[str, Any]:
    """The types of a dataclass's fields, with their bounds."""
    return get_type_hints(kind, include_extras=True)


def hold(kind: type, told: Mapping[str, Any], *, where: str = "") -> None:
    """Raise EditRefused unless `told` has the fields of a dataclass, all that it needs, each within its bounds."""
    hints = hints_of(kind)
    for name in told.keys() - hints.keys():
        raise EditRefused(f"{where}{name} is not known here. Nothing was changed.")
    for field in fields(kind):
        if field.name in told:
            _hold_value(hints[field.name], told[field.name], f"{where}{field.name}")
        elif field.default is MISSING and field.default_factory is MISSING:
            raise EditRefused(f"{where}{field.name} is missing. Nothing was changed.")


def bounds_of(kind: type, name: str) -> tuple[float, float]:
    """The lowest and the highest that a number of a dataclass may be."""
    bounds = {type(bound): bound for bound in get_args(hints_of(kind)[name])[1:]}
    return bounds[Ge].ge, bounds[Le].le


def _hold_value(hint: Any, value: Any, where: str) -> None:
    origin = get_origin(hint)
    if origin is Annotated:
        base, *bounds = get_args(hint)
        _hold_value(base, value, where)
        for bound in bounds:
            if isinstance(bound, BaseMetadata) and value is not None:
                _hold_bound(bound, value, where)
    elif origin in (Union, types.UnionType):
        if value is not None:
            _hold_value(next(part for part in get_args(hint) if part is not types.NoneType), value, where)
        elif types.NoneType not in get_args(hint):
            raise EditRefused(f"{where} must not be empty. Nothing was changed.")
    elif origin is Literal:
        if value not in get_args(hint):
            allowed = ", ".join(map(str, get_args(hint)))
            raise EditRefused(f"{where} must be one of {allowed}. Nothing was changed.")
    elif origin in (list, tuple):
        if not isinstance(value, list | tuple):
            raise EditRefused(f"{where} must be a list. Nothing was changed.")
        for n, each in enumerate(value):
            _hold_value(get_args(hint)[0], each, f"{where}.{n}")
    elif is_dataclass(hint):
        if not isinstance(value, Mapping):
            raise EditRefused(f"{where} has the wrong form. Nothing was changed.")
        hold(hint, value, where=f"{where}.")  # type: ignore[arg-type]
    elif hint in PLAIN and not _is_plain(hint, value):
        raise EditRefused(f"{where} must be {PLAIN[hint]}. Nothing was changed.")


def _is_plain(kind: type, value: Any) -> bool:
    if kind is float:
        return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    if kind is int:
        return isinstance(value, int) and not isinstance(value, bool)
    return isinstance(value, kind)


def _hold_bound(bound: BaseMetadata, value: Any, where: str) -> None:
    name, sentence, holds = ASKED[type(bound)]
    limit = getattr(bound, name)
    if not holds(value, limit):
        raise EditRefused(f"{where} must be {sentence.format(limit)}. Nothing was changed.")
