"""`pampa level` and `pampa voice`: a file brought to one loudness, or a voice in it treated as loud as it was."""

from pathlib import Path

from pampa.cli.delivering import deliver_file
from pampa.core.sound import RATE
from pampa.one_file.delivering import Wanted
from pampa.one_file.levelling import CEILING_DBTP, levelling
from pampa.one_file.voicing import recipe_named, treating


def level_file(source: Path, out: Path, target: float, amount: float, *, as_json: bool) -> int:
    """Level one file; ends as `deliver` does."""
    return deliver_file(source, out, Wanted(target, CEILING_DBTP), as_json=as_json, change=levelling(amount))


def treat_file(source: Path, out: Path, recipe: str, *, fit: bool, near: float | None, as_json: bool) -> int:
    """Treat one file; ends as `deliver` does."""
    wanted = Wanted(None, CEILING_DBTP, rate=RATE)
    with treating(recipe_named(recipe), fit=fit, near=near) as change:
        return deliver_file(source, out, wanted, as_json=as_json, change=change)
