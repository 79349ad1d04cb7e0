"""What a check-up means, in plain words, and what it proposes. Nothing here is applied by itself."""

from dataclasses import dataclass

from pampa.core.checkup.examine import Checkup
from pampa.core.checkup.trial import Trial
from pampa.core.mend.noise import amount_for

QUIET_ENOUGH_DB, UNHEARD_DB = 40.0, 55.0
"""Talk that stands so far over the noise is left alone; and how far what is left of noise shall lie under talk: at
the level of a conversation, 65 dB over the threshold of hearing, that is in a quiet room no longer heard."""
LEAST_DB, MOST_DB, LOSSY_DB, IF_LOSSY_DB = 15.0, 40.0, 2.0, 20.0
"""Noise is lowered by that much at least and at most, and by no more than the last where talk itself would lose."""
WORDS = ((20.0, "gentle"), (30.0, "medium"), (MOST_DB, "firm"))
ROOMY_DB, ROOM_TOLD_DB = 0.4, 15.0
"""A room is heard where lowering it makes talk that much softer; with noise that near to the talk it is not told."""
RINGS_DB, RING_HEARD_DB = 2.0, 25.0
"""Noise is in the pauses, too: what is taken for it and lies over the quietest of them comes and goes with the talk. Of
36 noises of six kinds none did, of rooms that ring for 1.5 s and more all. So far under talk it is left to the room."""
TONAL = 0.15
"""What would be taken for noise has a pitch: noise of any colour has a flatness of 0.4 and more."""
CLICKS, CLICKS_PER_MIN = 2, 3.0
SHARP, SHARP_PER_MIN = 2, 20.0
"""Sharp s that are heard: of some fifty s in a minute of talk, not only one now and then."""
SOFTENED = 75
"""Of what stands out a quarter stays, which voices differ by: by that more than two thirds of all there is are won."""
LEANS_DB, WINS_DB = 2.5, 1.5
DC_DBFS = -50.0
QUIET_SPEECH_DBFS = -45.0
TELEPHONE_HZ, CALL_HZ = 4_300.0, 9_500.0


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
    if checkup.talk_dbfs is None:
        nobody = Finding("speech", "Nobody speaks here, as far as can be measured.")
        return [*found, *(_of_the_tones(checkup) or [nobody])]
    return [*found, *_of_the_hum(checkup), *_of_the_trial(checkup), *_of_the_voice(checkup), *_of_the_wave(checkup)]


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


def _of_the_hum(c: Checkup) -> list[Finding]:
    if not c.hum:
        return []
    numbers = ", ".join(f"{number * c.hum.hz:.0f}" for number, _ in c.hum.harmonics[:4])
    text = f"Hum at {c.hum.hz:.2f} Hz: {_db(c.hum.level_dbfs)} dBFS, heard at {numbers} Hz. Proposed: hum."
    return [Finding("hum", text, "hum", 100)]


def _of_the_tones(c: Checkup) -> list[Finding]:
    if c.trial is None or c.trial.flatness >= TONAL:
        return []
    text = "Tones sound all along, as of music or singing: clicks, noise and the room were not weighed."
    return [Finding("tones", text)]


def _of_the_trial(c: Checkup) -> list[Finding]:
    """What was tried on stretches of it: clicks, noise, the room."""
    if c.trial is None:
        return []
    if tones := _of_the_tones(c):
        return tones
    found = []
    if c.trial.clicks >= CLICKS and c.trial.clicks_per_min >= CLICKS_PER_MIN:
        text = f"Clicks of the mouth, about {c.trial.clicks_per_min:.0f} a minute. Proposed: clicks."
        found.append(Finding("clicks", text, "clicks", 100))
    over = c.trial.over_noise_db
    if over is None or c.trial.noise_dbfs is None:
        return found
    floor = c.trial.noise_dbfs if c.floor_dbfs is None else c.floor_dbfs
    rings = c.trial.noise_dbfs > floor + RINGS_DB
    if rings and over < RING_HEARD_DB:
        what = f"What lies {_under(over)} at {_db(c.trial.noise_dbfs)} dBFS comes and goes with it:"
        text = f"{what} a room that rings on, or noise that was shut off between words."
        found.append(_of_the_noise(c.trial, over, text))
    else:
        noise = floor if rings else c.trial.noise_dbfs
        over += c.trial.noise_dbfs - noise
        found.append(_of_the_noise(c.trial, over, f"Noise at {_db(noise)} dBFS, {_under(over)}."))
    if c.trial.room_db is not None and c.trial.room_db >= ROOMY_DB and (rings or over >= ROOM_TOLD_DB):
        how_long = f"; sound takes about {c.reverb_s:.1f} s to die away" if c.reverb_s else ""
        text = f"The room is heard with the voice{how_long}. Proposed: reverberation, gentle."
        found.append(Finding("reverb", text, "reverb", 50))
    return found


def _under(over_db: float) -> str:
    return f"{over_db:.0f} dB under speech" if over_db >= 1 else "as loud as speech"


def _of_the_noise(trial: Trial, over_db: float, text: str) -> Finding:
    if over_db >= QUIET_ENOUGH_DB:
        return Finding("noise", f"{text} That is quiet enough.")
    depth = min(max(UNHEARD_DB - over_db, LEAST_DB), MOST_DB if trial.loss_db < LOSSY_DB else IF_LOSSY_DB)
    word = next(word for most, word in WORDS if depth <= most)
    return Finding("noise", f"{text} Proposed: noise, {word}.", "noise", round(100 * amount_for(depth)))


def _of_the_voice(c: Checkup) -> list[Finding]:
    found = []
    if c.trial and c.trial.thumps and c.plosives >= 2:
        text = f"In {c.plosives} places a breath strikes the microphone (P, B). Proposed: plosives."
        found.append(Finding("plosives", text, "plosives", 100))
    if c.trial and c.trial.sharp >= SHARP and c.trial.sharp_per_min >= SHARP_PER_MIN:
        text = f"Sharp S: {c.trial.sharp_per_min:.0f} in a minute of talk. Proposed: sibilance."
        found.append(Finding("sibilance", text, "sibilance", SOFTENED))
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
        text = f"The wave leans by {abs(c.leaning_db):.1f} dB, which nobody hears. Phase rotation would win "
        found.append(Finding("phase", text + f"{c.rotation_wins_db:.1f} dB of headroom."))
    return found


def _db(value: float) -> str:
    return f"{value:.0f}".replace("-", "\u2212")


def _times(count: int) -> str:
    return "one place" if count == 1 else f"{count} places"


def _clock(seconds: float) -> str:
    return f"{int(seconds // 3600)}:{int(seconds // 60) % 60:02d}:{seconds % 60:04.1f}"
