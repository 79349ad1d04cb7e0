"""The plan of a batch: a TOML file that says which files and raw episodes, what is done to them, and where it goes."""

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pampa.batch.asked import asked_in
from pampa.core.deliver.formats import NAMES
from pampa.core.errors import PampaError
from pampa.core.mend.amounts import Amounts
from pampa.core.timeline.limits import bounds_of
from pampa.core.timeline.recipe_files import from_json, start_called

STEPS = ("measure", "checkup", "clean", "level", "voice", "deliver")
EPISODE = "episode"
AUDIO = {".wav", ".flac", ".mp3", ".m4a", ".aac", ".ogg", ".opus", ".aif", ".aiff", ".caf", ".w64", ".rf64", ".wma",
         ".mp4", ".mov", ".mkv", ".webm"}  # fmt: skip
"""What is taken from a folder; a file that is named by itself may be called anything."""
TOP = {"out", "shared", "work"}
NUMBERS: Mapping[str, tuple[float, float]] = {
    "target": (-40, -5), "ceiling": (-20, 0), "bitrate": (8, 512), "bits": (16, 32), "amount": (0, 100),
    "nearer": (0, 100),
}  # fmt: skip
KNOWN = {"files", "episodes", "do", "format", "recipe", "fitted", "clean", "plan", *NUMBERS}


@dataclass(frozen=True)
class Work:
    """What is done to some inputs.

    inputs : each is one file, or for an episode the files of one folder. steps : in the order in which they are done.
    settings : those of the plan, as they stand there; of a recipe and a plan what is in the file.
    """

    inputs: tuple[tuple[Path, ...], ...]
    steps: tuple[str, ...]
    settings: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Plan:
    """folder : what relative names are relative to. shared : where workers elsewhere find the data; empty for none."""

    folder: Path
    out: Path
    shared: str
    work: tuple[Work, ...]


def read_plan(path: Path) -> Plan:
    """A plan from its file. Raises PampaError that names the line and what is wrong with it."""
    try:
        text = path.read_text("utf-8")
    except OSError as error:
        raise PampaError(f"{path} could not be read: {error.strerror}. Nothing was made.") from error
    except ValueError as error:
        raise PampaError(f"{path} is not text in UTF-8. Nothing was made.") from error
    try:
        told = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise PampaError(f"{path}: {error}. Nothing was made.") from error
    return _Reader(path, text).plan(told)


class _Reader:
    """Checks what stands in a plan, and knows on which line each thing stands."""

    def __init__(self, path: Path, text: str) -> None:
        self._path, self._lines, self._folder = path, text.splitlines(), path.resolve().parent

    def plan(self, told: dict[str, Any]) -> Plan:
        for name in told.keys() - TOP:
            raise self._wrong(name, f"{name} is not known here; it may be {', '.join(sorted(TOP))}")
        out, shared, blocks = told.get("out"), told.get("shared", ""), told.get("work")
        if not isinstance(out, str) or not out:
            raise self._wrong("out", 'out = "FOLDER" must say where the files go')
        if not isinstance(shared, str):
            raise self._wrong("shared", "shared is a folder or an address, in quotes")
        if not isinstance(blocks, list) or not blocks or not all(isinstance(block, dict) for block in blocks):
            raise self._wrong("work", "there must be a [[work]] that says what is done to what")
        self._out = self._folder / Path(out).expanduser()
        work = tuple(self._work(block, n) for n, block in enumerate(blocks))
        if shared and "://" not in shared:
            shared = str(self._folder / Path(shared).expanduser())
        return Plan(self._folder, self._out, shared, work)

    def _work(self, block: dict[str, Any], n: int) -> Work:
        for name in block.keys() - KNOWN:
            raise self._wrong(name, f"{name} is not known here; it may be {', '.join(sorted(KNOWN))}", n)
        if ("files" in block) == ("episodes" in block):
            raise self._wrong("files", "each [[work]] has either files or episodes", n)
        whole = "episodes" in block
        steps = self._steps(block, n, whole=whole)
        self._check(block, n)
        patterns = self._strings(block, "episodes" if whole else "files", n)
        found = self._found(patterns, n, folders=whole)
        inputs: tuple[tuple[Path, ...], ...] = tuple((path,) for path in found)
        if whole:
            inputs = tuple(tuple(_sound_in(folder, deep=False)) for folder in found)
            for folder, files in zip(found, inputs, strict=True):
                if not files:
                    raise self._wrong("episodes", f"there are no recordings in {folder}", n)
        settings = {name: value for name, value in block.items() if name not in ("files", "episodes", "do")}
        for name, read in (("plan", asked_in), ("recipe", _recipe_in)):
            if name in settings:
                settings[name] = self._text(settings[name], name, n)
                try:
                    read(settings[name], block[name])
                except PampaError as error:
                    raise self._wrong(
                        name, str(error).removesuffix(" Nothing was made.").removesuffix("."), n
                    ) from error
        return Work(inputs, steps, settings)

    def _text(self, named: str, name: str, n: int) -> str:
        """What is in a file that a plan names, so that it is there wherever the work is done."""
        if name == "recipe" and start_called(named) is not None:
            return named
        try:
            return (self._folder / Path(named).expanduser()).read_text("utf-8")
        except (OSError, ValueError):
            raise self._wrong(name, f"{named} could not be read", n) from None

    def _steps(self, block: dict[str, Any], n: int, *, whole: bool) -> tuple[str, ...]:
        if whole:
            if block.get("do", [EPISODE]) != [EPISODE]:
                raise self._wrong("do", f'raw episodes can only be made: do = ["{EPISODE}"]', n)
            return (EPISODE,)
        asked = self._strings(block, "do", n)
        for step in asked:
            if step not in STEPS:
                raise self._wrong("do", f"{step} is not something to do with a file; that is {', '.join(STEPS)}", n)
        return tuple(step for step in STEPS if step in asked)

    def _check(self, block: dict[str, Any], n: int) -> None:
        for name, (low, high) in NUMBERS.items():
            value = block.get(name, low)
            if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
                raise self._wrong(name, f"{name} is a number from {low:g} to {high:g}", n)
        if block.get("format", "mp3") not in NAMES:
            raise self._wrong("format", f"format is one of {', '.join(NAMES)}", n)
        if not isinstance(block.get("fitted", False), bool):
            raise self._wrong("fitted", "fitted is true or false", n)
        for name in ("recipe", "plan"):
            if not isinstance(block.get(name, ""), str):
                raise self._wrong(name, f"{name} is a name in quotes", n)
        clean = block.get("clean", {})
        for name, value in clean.items() if isinstance(clean, dict) else [("", None)]:
            bounds = bounds_of(Amounts, name) if name in Amounts.__dataclass_fields__ else None
            if bounds is None or isinstance(value, bool) or not isinstance(value, int | float):
                raise self._wrong("clean", "clean holds amounts of Mend, as in clean = { noise = 50, hum = 100 }", n)
            if not 0 <= value <= 100:
                raise self._wrong("clean", f"{name} goes from 0 to 100", n)

    def _strings(self, block: dict[str, Any], name: str, n: int) -> list[str]:
        value = block.get(name)
        if not isinstance(value, list) or not value or not all(isinstance(each, str) and each for each in value):
            raise self._wrong(name, f'{name} is a list such as ["..."]', n)
        return value

    def _found(self, patterns: Sequence[str], n: int, *, folders: bool) -> list[Path]:
        found: dict[Path, None] = {}
        for pattern in patterns:
            path = Path(pattern).expanduser()
            anchor, rest = (Path(path.anchor), path.relative_to(path.anchor)) if path.anchor else (self._folder, path)
            matches = [anchor / rest] if (anchor / rest).exists() else sorted(anchor.glob(str(rest)))
            if folders:
                matches = [each for each in matches if each.is_dir() and not each.is_relative_to(self._out)]
            else:
                inside = [_sound_in(each, deep=True) if each.is_dir() else [each] for each in matches]
                matches = [file for files in inside for file in files if not file.is_relative_to(self._out)]
            if not matches:
                raise self._wrong("episodes" if folders else "files", f"{pattern} names nothing that is there", n)
            found.update(dict.fromkeys(matches))
        return list(found)

    def _wrong(self, name: str, why: str, block: int | None = None) -> PampaError:
        return PampaError(f"{self._path}, line {self._line(name, block)}: {why}. Nothing was made.")

    def _line(self, name: str, block: int | None) -> int:
        """Where a name stands in the plan, or in one of its blocks; else where that begins."""
        starts = [n for n, line in enumerate(self._lines) if line.strip().startswith("[[work]]")]
        if block is None:
            low, high = 0, starts[0] if starts else len(self._lines)
        else:
            low, high = starts[block], [*starts, len(self._lines)][block + 1]
        for n in range(low, high):
            if self._lines[n].partition("=")[0].strip() == name:
                return n + 1
        return low + 1


def _recipe_in(text: str, called: str) -> None:
    if start_called(text) is None and from_json(text, called=called).voice is None:
        raise PampaError(f"{called} only says how to mend, not how to treat a voice.")


def _sound_in(folder: Path, *, deep: bool) -> list[Path]:
    """The files of sound in a folder, in order of their names; hidden ones are left."""
    files = folder.rglob("*") if deep else folder.iterdir()
    return sorted(
        path for path in files
        if path.suffix.lower() in AUDIO and path.is_file()
        and not any(part.startswith(".") for part in path.relative_to(folder).parts)
    )  # fmt: skip
