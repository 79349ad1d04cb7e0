"""Checks of how a programme sounds."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pampa.core.last_look.look import Look, Note
from pampa.core.last_look.programme import Programme, seconds_of
from pampa.core.loudness.gating import to_energy, windows
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.runs import runs_of
from pampa.core.sound import Curve

Cells = NDArray[np.bool_]

MOST_PLACES = 5
"""Of one kind; the rest is counted."""
SIDES_APART_DB = 20.0
MONO_LOSES_DB, LOSING_S, LOSES_THERE_DB = 3.3, 3.0, 5.0
"""Two sides that share nothing lose 3 dB as one channel, give or take chance; what loses more works against itself."""
NOTHING_S = 0.1
"""Shorter runs of zeros are between two sounds of a made effect."""
HEAD_S, TAIL_S, HEARD_LUFS = 2.0, 4.0, -60.0
CUT_OFF_DB = 12.0
"""Sound that goes on outside of an end, no softer than this, was cut off."""
SECTION_S, AROUND_S, STEP_LU, LASTING_S = 8.0, 120.0, 6.0, 5.0
CLOSE_LU, CLOSE_FOR_S = 8.0, 2.0
QUIET = 1e-15
TALKING_S = 0.4
"""Talk and music are compared over so long."""


def reached(look: Look) -> Iterator[Note]:
    """Files whose target cannot be met."""
    for each in look.wanted:
        if each.shortfall:
            yield Note(f"{each.name}: {each.shortfall}", f"{each.loss_lu:.1f} LU", stage="balance")


def one_side(look: Look) -> Iterator[Note]:
    """A side that is silent or nearly so, as of a plug that was not in."""
    left, right, _ = 10 * np.log10(look.programme.sides.mean(axis=0) + 1e-12) if look.programme.cells else (0, 0, 0)
    if abs(left - right) > SIDES_APART_DB:
        weak, strong = ("left", "right") if left < right else ("right", "left")
        yield Note(
            f"The {weak} side is all but silent: who listens with one ear hears nothing. Use the {strong} side alone, "
            "in Gather.", f"{abs(left - right):.0f} dB apart", stage="gather",
        )  # fmt: skip


def against_itself(look: Look) -> Iterator[Note]:
    """Sides that take each other away where somebody listens with one loudspeaker."""
    sides, cells = look.programme.sides, round(LOSING_S * CELLS_PER_S)
    if look.programme.cells < cells:
        return
    smooth = np.stack([np.convolve(side, np.ones(cells) / cells, "valid") for side in sides.T], axis=1)
    both, one = (smooth[:, 0] + smooth[:, 1]) / 2, smooth[:, 2]
    heard = both > to_energy(HEARD_LUFS)
    loses = np.where(heard, 10 * np.log10((both + QUIET) / (one + QUIET)), 0.0)
    whole = 10 * np.log10((sides[:, :2].mean() + QUIET) / (sides[:, 2].mean() + QUIET))
    worst = int(loses.argmax())
    if whole > MONO_LOSES_DB or loses[worst] > LOSES_THERE_DB:
        most = max(whole, float(loses[worst]))
        yield Note(
            "The two sides work against each other: on one loudspeaker it is far softer, or gone. Use one side of the "
            "recording, or turn its polarity.", f"mono loses {most:.1f} dB", seconds_of(worst),
            seconds_of(worst + cells), stage="gather",
        )  # fmt: skip


def nothing_inside(look: Look) -> Iterator[Note]:
    """Places in the middle where there is no sound at all, as of a lead that came loose."""
    programme = look.programme
    sounding = np.flatnonzero(~programme.nothing)
    if not sounding.size:
        return
    inside = np.zeros(programme.cells, bool)
    inside[sounding[0] : sounding[-1]] = programme.nothing[sounding[0] : sounding[-1]]
    found = [run for run in runs_of(inside).tolist() if run[1] - run[0] >= NOTHING_S * CELLS_PER_S]
    yield from _places(found, "Nothing at all is heard here; a room is never so silent.", "prune")


def cut_off(look: Look) -> Iterator[Note]:
    """An end at which somebody is cut off in the middle of a sound."""
    if look.begins_db is not None and look.begins_db < CUT_OFF_DB:
        yield Note("It begins in the middle of a sound. Move the edge, or fade it in.", f"{look.begins_db:.0f} dB", 0.0,
                   stage="prune")  # fmt: skip
    if look.ends_db is not None and look.ends_db < CUT_OFF_DB:
        yield Note("It ends in the middle of a sound. Move the edge, or fade it out.", f"{look.ends_db:.0f} dB",
                   look.programme.seconds, stage="prune")  # fmt: skip


def empty_ends(look: Look) -> Iterator[Note]:
    """Seconds of nothing before it begins or after it has ended."""
    programme = look.programme
    heard = np.flatnonzero(windows(programme.energy, round(0.2 * CELLS_PER_S)) > to_energy(HEARD_LUFS))
    if not heard.size:
        return
    head, tail = seconds_of(heard[0]), programme.seconds - seconds_of(heard[-1] + round(0.2 * CELLS_PER_S))
    if head > HEAD_S:
        yield Note("Nothing is heard at the beginning.", f"{head:.1f} s", 0.0, head, stage="prune")
    if tail > TAIL_S:
        yield Note("Nothing is heard any more at the end.", f"{tail:.1f} s", programme.seconds - tail,
                   programme.seconds, stage="prune")  # fmt: skip


def steps_out(look: Look) -> Iterator[Note]:
    """Stretches of talk far softer or louder than what lies around them."""
    talk = look.talk
    section, around = round(SECTION_S * CELLS_PER_S), round(AROUND_S * CELLS_PER_S)
    heard = talk > 0
    if talk.size < section or not heard.any():
        return
    here, near = _level_around(talk, heard, section), _middle_around(talk, heard, around)
    off = np.where(heard & np.isfinite(here) & np.isfinite(near), here - near, 0.0)
    for sign, words in ((-1, "softer"), (1, "louder")):
        stretches = runs_of(sign * off > STEP_LU, bridge=CELLS_PER_S).tolist()
        found = [run for run in stretches if run[1] - run[0] >= LASTING_S * CELLS_PER_S]
        for start, stop in found[:MOST_PLACES]:
            by = float(np.abs(off[start:stop]).max())
            yield Note(f"The talk is far {words} here than around it.", f"{by:.0f} LU {words}", seconds_of(start),
                       seconds_of(stop), stage="balance")  # fmt: skip


def too_close(look: Look) -> Iterator[Note]:
    """Music so near to the talk that words are lost in it."""
    cells = round(TALKING_S * CELLS_PER_S)
    count = min(look.talk.size, look.music.size)
    if count < cells:
        return
    talk, music = (np.convolve(each[:count], np.ones(cells) / cells, "same") for each in (look.talk, look.music))
    both = (look.talk[:count] > 0) & (music > to_energy(HEARD_LUFS))
    apart = np.where(both, 10 * np.log10((talk + QUIET) / (music + QUIET)), np.inf)
    near = runs_of(apart < CLOSE_LU, bridge=CELLS_PER_S // 2).tolist()
    for start, stop in [run for run in near if run[1] - run[0] >= CLOSE_FOR_S * CELLS_PER_S][:MOST_PLACES]:
        inside = apart[start:stop]
        distance = float(np.mean(inside[np.isfinite(inside)]))
        yield Note("The music lies so near to the talk that words are lost in it.", f"{distance:.0f} LU apart",
                   seconds_of(start), seconds_of(stop), stage="balance")  # fmt: skip


def _places(found: list[list[int]], told: str, stage: str) -> Iterator[Note]:
    for n, (start, stop) in enumerate(found[:MOST_PLACES]):
        rest = len(found) - MOST_PLACES
        more = f" And {rest} more such places." if n == MOST_PLACES - 1 and rest > 0 else ""
        yield Note(told + more, f"{seconds_of(stop - start):.1f} s", seconds_of(start), seconds_of(stop),
                   stage=stage)  # type: ignore[arg-type]  # fmt: skip


def _level_around(talk: Curve, heard: Cells, cells: int) -> Curve:
    """The level of what is heard in a window around each cell, in dB; no number where that is too little."""
    total, count = (np.convolve(each, np.ones(cells), "same") for each in (talk, heard.astype(float)))
    enough = count > cells / 4
    return np.where(enough, 10 * np.log10((total + QUIET) / np.maximum(count, 1)), np.nan)


def _middle_around(talk: Curve, heard: Cells, cells: int) -> Curve:
    """The middle level of the talk in a wide window around each cell: worked out once a second."""
    db = 10 * np.log10(talk + QUIET)
    places = np.arange(0, talk.size, CELLS_PER_S)
    middles = np.full(places.size, np.nan)
    for n, place in enumerate(places):
        near = slice(max(place - cells // 2, 0), place + cells // 2)
        if heard[near].sum() > CELLS_PER_S:
            middles[n] = np.median(db[near][heard[near]])
    known = np.isfinite(middles)
    return np.interp(np.arange(talk.size), places[known], middles[known]) if known.any() else np.full(talk.size, np.nan)


def figures(programme: Programme) -> list[tuple[str, str]]:
    """The programme in figures, as it stands."""
    loudness = programme.loudness
    told = [
        ("integrated", loudness.integrated_lufs, "LUFS"), ("range", loudness.loudness_range_lu, "LU"),
        ("loudest 3 s", loudness.max_short_term_lufs, "LUFS"), ("true peak", loudness.true_peak_dbtp, "dBTP"),
    ]  # fmt: skip
    return [(name, "–" if value is None else f"{value:.1f} {unit}".replace("-", "−")) for name, value, unit in told]
