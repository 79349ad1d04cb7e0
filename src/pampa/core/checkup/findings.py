"""What a check-up means, in plain words, and what it proposes. Nothing here is applied by itself."""

from dataclasses import dataclass

from pampa.core.checkup.examine import Checkup

LOUD_FLOOR_DBFS, NEAR_FLOOR_DB = -62.0, 34.0
ROOMY_S = 0.7
SHARP_PER_MIN = 8.0
LEANS_DB, WINS_DB = 2.5, 1.5
DC_DBFS = -50.0
QUIET_SPEECH_DBFS = -45.0
TELEPHONE_HZ, CALL_HZ = 4_300.0, 9_500.0

AMOUNTS = ((15.0, "gentle", 25), (10.0, "medium", 35), (-200.0, "firm", 45))
"""How much noise reduction is proposed where speech stands so many dB over the floor, and its word."""


@dataclass(frozen=True)
class Finding:
    """One thing worth knowing. process and amount (0 to 100): what it proposes for Mend, if anything."""

    kind: str
    text: str
    process: str | None = None
    amount: int | None = None


def findings(checkup: Checkup, *, speech: bool = True) -> list[Finding]:
    """What a person should know, most important first. speech : False for music and effects, which may hum."""
    found = [*_of_the_file(checkup), *_of_the_sides(checkup)]
    if not speech:
        return found
    if checkup.speech_dbfs is None:
        return [*found, Finding("speech", "Nobody speaks here, as far as can be measured.")]
    return [*found, *_of_the_room(checkup), *_of_the_voice(checkup), *_of_the_wave(checkup)]


def _of_the_file(c: Checkup) -> list[Finding]:
    found = []
    if c.peak_dbfs is None:
        found.append(Finding("silence", "The whole recording is digital silence. Look at the recorder\u2019s input."))
    if c.clipped:
        longest = 1000 * max(stop - start for start, stop in c.clipped)
        text = f"Clipped in {_times(len(c.clipped))}, {longest:.1f} ms at most, the first at {_clock(c.clipped[0][0])}."
        found.append(Finding("clipping", text + " Proposed: rebuild them.", "clipping", 100))
    if c.drop_outs:
        total = sum(stop - start for start, stop in c.drop_outs)
        text = f"Sound is missing in {_times(len(c.drop_outs))}, {total:.2f} s in all, the first at "
        found.append(Finding("drop-out", text + f"{_clock(c.drop_outs[0][0])}.", "drop_outs", 100))
    return found


def _of_the_sides(c: Checkup) -> list[Finding]:
    said = {
        "same": "Both sides hold the same signal; one is used.",
        "left silent": "The left side is silent. Proposed: use the right one.",
        "right silent": "The right side is silent. Proposed: use the left one.",
        "two people": "Each side holds another person. Proposed: split it into two tracks.",
    }
    process = {"left silent": "right", "right silent": "left", "two people": "split"}
    return [Finding("sides", said[c.sides], process.get(c.sides))] if c.sides in said else []


def _of_the_room(c: Checkup) -> list[Finding]:
    found = []
    if c.hum:
        numbers = ", ".join(f"{number * c.hum.hz:.0f}" for number, _ in c.hum.harmonics[:4])
        text = f"Hum at {c.hum.hz:.2f} Hz: {_db(c.hum.level_dbfs)} dBFS, heard at {numbers} Hz. Proposed: hum."
        found.append(Finding("hum", text, "hum", 100))
    if c.floor_dbfs is not None and c.over_floor_db is not None:
        noisy = c.over_floor_db < NEAR_FLOOR_DB and c.floor_dbfs > LOUD_FLOOR_DBFS
        text = f"Floor {_db(c.floor_dbfs)} dBFS, {c.over_floor_db:.0f} dB under speech."
        if noisy:
            _, word, amount = next(step for step in AMOUNTS if c.over_floor_db >= step[0])
            found.append(Finding("noise", f"{text} Proposed: noise, {word}.", "noise", amount))
        else:
            found.append(Finding("noise", f"{text} That is quiet enough."))
    if c.reverb_s is not None and c.reverb_s >= ROOMY_S:
        text = f"A live room: sound takes about {c.reverb_s:.1f} s to die away. Proposed: reverberation, gentle."
        found.append(Finding("reverb", text, "reverb", 35))
    return found


def _of_the_voice(c: Checkup) -> list[Finding]:
    found = []
    if c.plosives >= 2:
        text = f"In {c.plosives} places a breath strikes the microphone (P, B). Proposed: plosives."
        found.append(Finding("plosives", text, "plosives", 70))
    per_min = 60 * c.sibilants / max(c.duration_s, 1)
    if c.sibilants >= 2 and per_min >= SHARP_PER_MIN:
        text = f"Sharp S: {per_min:.0f} a minute stand over the voice. Proposed: sibilance, gentle."
        found.append(Finding("sibilance", text, "sibilance", 40))
    if c.bandwidth_hz is not None and c.bandwidth_hz < CALL_HZ:
        what = "a telephone" if c.bandwidth_hz < TELEPHONE_HZ else "a call"
        text = f"Sound ends at {c.bandwidth_hz / 1000:.1f} kHz, as over {what}. Use a local recording if there is one."
        found.append(Finding("bandwidth", text))
    if c.speech_dbfs is not None and c.speech_dbfs < QUIET_SPEECH_DBFS:
        text = f"Recorded very low: speech at {_db(c.speech_dbfs)} dBFS. It is brought up by itself, with its floor."
        found.append(Finding("level", text))
    return found


def _of_the_wave(c: Checkup) -> list[Finding]:
    found = []
    if c.dc_dbfs is not None and c.dc_dbfs > DC_DBFS:
        text = f"The wave stands off its middle by {_db(c.dc_dbfs)} dBFS (DC). Proposed: rumble."
        found.append(Finding("dc", text, "rumble", 100))
    if c.leaning_db is not None and abs(c.leaning_db) >= LEANS_DB and (c.rotation_wins_db or 0) >= WINS_DB:
        text = f"The wave leans by {abs(c.leaning_db):.1f} dB. Proposed: phase rotation, which wins "
        found.append(Finding("phase", text + f"{c.rotation_wins_db:.1f} dB of headroom.", "phase", 100))
    return found


def _db(value: float) -> str:
    return f"{value:.0f}".replace("-", "\u2212")


def _times(count: int) -> str:
    return "one place" if count == 1 else f"{count} places"


def _clock(seconds: float) -> str:
    return f"{int(seconds // 3600)}:{int(seconds // 60) % 60:02d}:{seconds % 60:04.1f}"
