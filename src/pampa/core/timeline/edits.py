"""The catalogue of edits: every change of an episode by its name, and the sentence that tells of it."""

from collections.abc import Callable, Mapping
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.timeline import arranging, cutting, inserting, laying, lining, mending, pruning, seams, turns, versions
from pampa.core.timeline.document import Document

Edit = Callable[..., Document]

EDITS: Mapping[str, Edit] = {
    edit.__name__: edit
    for edit in (
        cutting.take_out, cutting.clear, cutting.put_back, seams.drag_seam, seams.set_seam,
        inserting.insert, inserting.carry, inserting.drop_spot, inserting.lift_spot, turns.slide, versions.restore,
        arranging.split, arranging.join, arranging.slip, arranging.move, arranging.trim, arranging.set_clip,
        arranging.remove_clip, arranging.add_clip, arranging.bring_in, arranging.add_track, arranging.remove_track,
        arranging.set_track, arranging.set_recipe, arranging.set_ducking, lining.nudge, lining.line_up,
        laying.lay, laying.in_sequence, laying.take_seat, laying.begin,
        mending.mend, pruning.prune, pruning.leave, pruning.reopen, pruning.mark_find,
        pruning.drop_find,
        arranging.add_marker, arranging.add_markers, arranging.set_marker, arranging.remove_marker,
    )
}  # fmt: skip

SENTENCES = {
    "take_out": "Took out {length} at {place}",
    "clear": "Left room tone for {length} at {place}",
    "put_back": "Put a seam back",
    "drag_seam": "Dragged the side of a seam",
    "set_seam": "Changed how a join crosses over",
    "insert": "Put in {name} at {place}",
    "carry": "Carried {length} to {to}",
    "drop_spot": "Dropped in {name} at {place}",
    "lift_spot": "Took a spot out again",
    "slide": "Moved what one person says at {place}",
    "restore": "Went back to {name}",
    "split": "Split at {place}",
    "join": "Joined at {place}",
    "slip": "Slipped the sound of a piece",
    "move": "Moved a piece to {place}",
    "trim": "Trimmed a piece",
    "set_clip": "Changed a piece's gain, fades or muting",
    "remove_clip": "Removed a piece",
    "add_clip": "Added a piece at {place}",
    "bring_in": "Brought in {name}",
    "add_track": "Added the track {name}",
    "remove_track": "Removed a track",
    "set_track": "Changed a track",
    "set_recipe": "Changed a recipe",
    "set_ducking": "Changed the ducking",
    "nudge": "Nudged a track",
    "line_up": "Lined up {name}",
    "lay": "Laid {name}",
    "in_sequence": "Joined recordings in sequence",
    "take_seat": "Put sound on a waiting track",
    "begin": "Began from the pattern {name}",
    "mend": "Mended {name}",
    "prune": "Pruned {name}",
    "leave": "Left {name}",
    "reopen": "Asked again about {name}",
    "mark_find": "Marked {name} as a find",
    "drop_find": "Forgot {name} as a find",
    "add_marker": "Marked {place}",
    "add_markers": "Brought in markers from {name}",
    "set_marker": "Changed a marker",
    "remove_marker": "Removed a marker",
}


def apply(document: Document, name: str, parameters: Mapping[str, Any]) -> Document:
    """The document after an edit. Raises EditRefused or NotFound, and then nothing has changed."""
    if name not in EDITS:
        raise EditRefused(f"Pampa knows no edit called {name}. Nothing was changed.")
    return EDITS[name](document, **parameters)


def describe(name: str, parameters: Mapping[str, Any]) -> str:
    """What an edit did, in a few words, for the history."""
    start, stop = parameters.get("start", parameters.get("at", 0)), parameters.get("stop", 0)
    return SENTENCES[name].format(
        length=f"{abs(stop - start) / RATE:.1f} s",
        place=clock(min(start, stop or start)),
        to=clock(parameters.get("to", 0)),
        name=parameters.get("name", ""),
    )


def clock(frames: int) -> str:
    """A place as 0:04:20.3."""
    tenths = round(frames / RATE * 10)
    return f"{tenths // 36000}:{tenths // 600 % 60:02d}:{tenths // 10 % 60:02d}.{tenths % 10}"
