"""One task of a batch: a file or a raw episode, and what is done to it. It is a plain value, carried out anywhere."""

import hashlib
import json
import logging
import tempfile
import time
from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from pampa import __version__
from pampa.batch.place import Input, Place, PlaceGone
from pampa.core.errors import PampaError
from pampa.core.executor import Executor, Inline
from pampa.core.mend.amounts import Amounts
from pampa.core.timeline.recipe_files import from_json, start_called
from pampa.one_file.delivering import Change, Wanted, delivered, format_from, unchanged
from pampa.one_file.levelling import CEILING_DBTP, levelling

log = logging.getLogger(__name__)

TARGET_LUFS = -16.0
DONE, FAILED, GONE = "done", "failed", "gone"
CHANGING = ("clean", "level", "voice", "deliver")


@dataclass(frozen=True)
class Task:
    """name : of what it makes, with folders, and without ending. inputs : one file, or those of an episode."""

    name: str
    inputs: tuple[Input, ...]
    steps: tuple[str, ...]
    settings: Mapping[str, Any]

    @property
    def key(self) -> str:
        """Two tasks with one key make the same: the same sound, the same steps and settings, the same Pampa."""
        told = [[each.name, each.content] for each in self.inputs]
        text = json.dumps([__version__, self.name, told, self.steps, dict(self.settings)], sort_keys=True, default=str)
        return hashlib.sha256(text.encode()).hexdigest()


Outcome = dict[str, Any]
"""key, name, input, state, error, figures, files (name and size of each) and seconds."""


def outcome_of(task: Task, state: str, *, error: str = "", figures: Mapping[str, Any] | None = None,
               files: tuple[Path, ...] = (), seconds: float = 0.0) -> Outcome:  # fmt: skip
    """What came of a task, as it is kept and told."""
    return {
        "key": task.key, "name": task.name, "input": [each.path for each in task.inputs], "state": state,
        "error": error, "figures": dict(figures or {}), "seconds": round(seconds, 2),
        "files": [{"name": path.name, "bytes": path.stat().st_size} for path in files],
    }  # fmt: skip


def lost(task: Task) -> Outcome:
    """A task of which worker after worker died."""
    names = ", ".join(each.name for each in task.inputs)
    told = f"Worker after worker died of {names}. It was left out; the others went on. Look at that file by itself."
    return outcome_of(task, FAILED, error=told)


def carry_out(place: Place, task: Task) -> Outcome:
    """Do a task, and keep what it makes at `place`; whatever goes wrong is told in the outcome, and never raised.

    One that was carried out before, as by a worker that died after it, is not done again.
    """
    began = time.monotonic()
    try:
        before = place.told(task.key)
        if before is not None:
            return before
        with tempfile.TemporaryDirectory(prefix="pampa-") as name:
            folder = Path(name)
            (folder / "in").mkdir()
            (folder / "out").mkdir()
            inputs = [place.fetched(each, folder / "in") for each in task.inputs]
            figures, files = _work(task, inputs, folder, Inline())  # others work on other files meanwhile
            made = outcome_of(task, DONE, figures=figures, files=tuple(files), seconds=time.monotonic() - began)
            for path in files:
                place.keep(path, task.key)
            place.tell(task.key, made)
            return made
    except PlaceGone as error:
        return outcome_of(task, GONE, error=str(error))
    except (PampaError, OSError) as error:
        return outcome_of(task, FAILED, error=str(error), seconds=time.monotonic() - began)
    except Exception as error:
        log.exception("%s could not be worked on", task.name)
        told = f"{task.name} could not be worked on ({type(error).__name__}). Nothing was made of it."
        return outcome_of(task, FAILED, error=told, seconds=time.monotonic() - began)


def _work(task: Task, inputs: list[Path], folder: Path, executor: Executor) -> tuple[dict[str, Any], list[Path]]:
    if task.steps == ("episode",):
        return _episode(task, inputs, folder)
    return _file(task, inputs[0], folder, executor)


def _file(task: Task, source: Path, folder: Path, executor: Executor) -> tuple[dict[str, Any], list[Path]]:
    """The steps one after the other, each on what the one before has made."""
    figures: dict[str, Any] = {}
    changing = [step for step in task.steps if step in CHANGING]
    sound = source
    for step in task.steps:
        last = bool(changing) and step == changing[-1]
        if step == "measure":
            from pampa.one_file.measuring import figures as measured

            figures[step] = {name: value for name, value in measured(sound).items() if name != "file"}
        elif step == "checkup":
            from pampa.one_file.checking import as_row, check_up

            row = as_row(sound, check_up(sound, executor))
            figures[step] = [each["text"] for each in row["findings"]]
        elif step == "clean":
            from pampa.one_file.cleaning import cleaned

            made = folder / ("out" if last else "in") / f"{Path(task.name).name if last else 'cleaned'}.wav"
            asked = task.settings.get("clean", {})
            done = cleaned(sound, made, Amounts(**asked), executor, auto=not asked)
            figures[step] = {"amounts": asdict(done.amounts), "done": list(done.words)}
            sound = made
        else:
            sound, figures[step] = _delivered(task, step, sound, folder, executor, last=last)
    return figures, [sound] if changing else []


def _delivered(task: Task, step: str, sound: Path, folder: Path, executor: Executor, *, last: bool
               ) -> tuple[Path, dict[str, Any]]:  # fmt: skip
    """A step that ends in a file at a loudness. One that is not the last leaves it as loud as it was, and unrounded."""
    asked = task.settings
    kind = asked.get("format", "mp3") if step == "deliver" else "wav"
    made = folder / ("out" if last else "in") / f"{Path(task.name).name if last else step}.{kind}"
    target = asked.get("target", TARGET_LUFS) if last and step != "voice" else None
    bits = asked.get("bits", 24) if last else 32
    fmt = format_from(bits=bits, kbit=asked.get("bitrate"), quality=None, broadcast=False)
    wanted = Wanted(target, asked.get("ceiling", CEILING_DBTP), fmt, 48_000 if step == "voice" else None)
    with ExitStack() as held:
        change: Change = unchanged
        if step == "level":
            change = levelling(asked.get("amount", 100.0))
        elif step == "voice":
            from pampa.one_file.voicing import treating

            named = asked.get("recipe", "plain")
            recipe = start_called(named) or from_json(named, called="the recipe").voice
            assert recipe is not None, "the plan was checked"
            change = held.enter_context(
                treating(recipe, fit=asked.get("fitted", False), near=asked.get("nearer"))
            )  # fmt: skip
        sheet, figures = delivered(sound, made, wanted, executor, change=change)
    told = {
        "integrated_lufs": sheet.loudness.integrated_lufs, "true_peak_dbtp": sheet.loudness.true_peak_dbtp,
        "met": sheet.met, "reason": sheet.reason, "format": sheet.format, **figures,
    }  # fmt: skip
    return made, told


def _episode(task: Task, inputs: list[Path], folder: Path) -> tuple[dict[str, Any], list[Path]]:
    """Straight through, in a studio for this one time."""
    from pampa.batch.asked import asked_in
    from pampa.batch.whole_episode import go_through, needs_of, taken, title_for
    from pampa.studio.sending import plain_name
    from pampa.studio.settings import Settings
    from pampa.studio.studio import Studio

    asked = asked_in(task.settings.get("plan", "{}"), "the plan")
    title = title_for(asked, Path(task.name))
    studio = Studio(Settings(data=folder / "studio", workers=1))
    try:
        show = studio.shows.make_show(title).id
        episode = studio.shows.make_episode(show, title, asked.number).id
        planned, report = go_through(studio, show, episode, inputs, asked, lambda doing, share: None, dry=False)
        made = [] if report is None else taken(studio, report, folder / "out", f"{plain_name(title)}-1-")
    finally:
        studio.close()
    figures = {
        "files": [{"integrated_lufs": each["sheet"]["loudness"]["integrated_lufs"], "met": each["sheet"]["met"],
                   "format": each["sheet"]["format"]} for each in made],
        "needs": needs_of(planned, report),
    }  # fmt: skip
    return figures, [Path(each["file"]) for each in made]
