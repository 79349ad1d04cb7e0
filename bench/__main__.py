"""Times the passes that people wait for, on synthetic sound of known length, and prints them as ratios.

Each figure is the median of several runs in this one process; `x` is times real time. Peers run in between,
in the same process, so that a noisy machine slows both. Nothing here is asserted.
"""

import argparse
import ctypes
import ctypes.util
import importlib
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim, measure_parts, solve
from pampa.core.executor import Inline, Threads
from pampa.core.files.child import conform_in_child
from pampa.core.files.conform import clipped_stretches, conformed_source
from pampa.core.files.deliver import finished, measure_file
from pampa.core.files.encode import encode
from pampa.core.files.held import held
from pampa.core.loudness import measure_source
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import measure, mended
from pampa.core.mend.hum import follow_hum, without_hum
from pampa.core.mend.processes import Facts
from pampa.core.mend.rotation import rotated
from pampa.core.proposals.trying import checked_up
from pampa.core.sound import RATE, ArraySource, FloatArray, segments
from pampa.core.sync.clocked import clocked
from pampa.core.timeline import cutting, inserting, seams
from pampa.core.timeline.document import Clip, Document, Track
from pampa.core.voice.chain import known_of, treat
from pampa.core.voice.heard import heard_in
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import Facts as VoiceFacts

Row = tuple[str, float, str]


def talk(seconds: float, seed: int) -> FloatArray:
    """Speech-like mono: coloured noise in syllables, phrases and pauses, repeated to the length."""
    rng = np.random.default_rng(seed)
    t = np.arange(60 * RATE) / RATE
    voice = np.sin(2 * np.pi * 130 * t) + 0.4 * np.sin(2 * np.pi * 390 * t) + 0.2 * rng.standard_normal(t.size)
    voice *= np.clip(np.sin(2 * np.pi * 4 * t) + 0.3, 0, 1) * (np.sin(2 * np.pi * t / 5.3 + seed) > -0.3)
    minute = (0.08 * voice + 3e-4 * rng.standard_normal(t.size)).astype(np.float32)
    return np.resize(minute, round(seconds * RATE))[:, None]


def timed(work: Callable[[], object], runs: int) -> float:
    """Median seconds over `runs` runs after a warm-up."""
    work()
    spent = []
    for _ in range(runs):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return statistics.median(spent)


def measuring(seconds: float, runs: int) -> list[Row]:
    """A full measurement of stereo on one core, beside the C library for the same standard where it is installed."""
    sound = np.ascontiguousarray(np.concatenate([talk(seconds, 1), talk(seconds, 2)], axis=1))
    source = ArraySource(sound)
    own = timed(lambda: measure_source(source), runs)
    rows = [("full measurement, stereo, one core", seconds / own, "x real time")]
    loud = ArraySource(np.clip(sound * 12, -0.95, 0.95))
    rows.append(
        ("  the same, dense and near full scale", seconds / timed(lambda: measure_source(loud), runs), "x real time")
    )
    peer = _libebur128()
    if peer:
        other = timed(lambda: peer(sound), max(runs // 2, 1))
        rows.append(("  libebur128 with true peak, same sound", seconds / other, "x real time"))
        rows.append(("  ratio to libebur128", other / own, "times as fast"))
    else:
        rows.append(("  libebur128 is not installed here", 0.0, ""))
    return rows


def _libebur128() -> Callable[[FloatArray], None] | None:
    name = ctypes.util.find_library("ebur128") or "libebur128.so.1"
    try:
        library = ctypes.CDLL(name)
    except OSError:
        return None
    library.ebur128_init.restype = ctypes.c_void_p
    library.ebur128_init.argtypes = [ctypes.c_uint, ctypes.c_ulong, ctypes.c_int]
    library.ebur128_add_frames_float.argtypes = [ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t]
    library.ebur128_loudness_global.argtypes = [ctypes.c_void_p, ctypes.POINTER(ctypes.c_double)]
    library.ebur128_loudness_range.argtypes = [ctypes.c_void_p, ctypes.POINTER(ctypes.c_double)]
    library.ebur128_destroy.argtypes = [ctypes.POINTER(ctypes.c_void_p)]
    everything = 0b111111  # momentary, short-term, integrated, range, sample peak, true peak

    def run(sound: FloatArray) -> None:
        state = ctypes.c_void_p(library.ebur128_init(2, RATE, everything))
        value = ctypes.c_double()
        for start in range(0, len(sound), RATE):
            block = sound[start : start + RATE]
            library.ebur128_add_frames_float(state, block.ctypes.data, len(block))
        library.ebur128_loudness_global(state, ctypes.byref(value))
        library.ebur128_loudness_range(state, ctypes.byref(value))
        library.ebur128_destroy(ctypes.byref(state))

    return run


def conforming(folder: Path, minutes: int) -> list[Row]:
    """A mono WAV of an hour: conformed with its pyramid, its drift taken out, and examined on one core."""
    path = folder / "hour.wav"
    with soundfile.SoundFile(path, "w", RATE, 1, "PCM_24") as file:
        for _ in range(minutes):
            file.write(talk(60, 3))
    seconds = minutes * 60
    plain = timed(lambda: conform_in_child(path, folder / "plain"), 1)
    source = conformed_source(folder / "plain")
    true_clock = clocked(source, 38.0)
    drift = timed(lambda: [true_clock.read(s.start, s.stop) for s in segments(true_clock.frames)], 1)
    checked = timed(lambda: checked_up(source, clipped=clipped_stretches(folder / "plain")), 1)
    return [
        (f"conform and pyramid, {minutes} min mono WAV", seconds / plain, "x real time"),
        ("  its clock drift taken out, one core", seconds / drift, "x real time"),
        ("  check-up, one core", seconds / checked, "x real time"),
    ]


def treating(seconds: float, runs: int) -> list[Row]:
    """The voice treatment of mono talk on one core."""
    source = ArraySource(talk(seconds, 4))
    grid = list(segments(source.frames))
    energy = measure_source(source).energy
    facts = VoiceFacts(-27.0, energy, lambda: heard_in(source, energy))

    def speed(recipe: Recipe) -> float:
        known = known_of(facts, recipe)
        return seconds / timed(lambda: [treat(source, s, recipe, known) for s in grid], runs)

    whole = Recipe(level=100, bands=100, sibilance=100, warmth=100, lows_db=2, middle_db=-1, upper_db=1)
    return [
        ("voice treatment by default, mono, one core", speed(Recipe()), "x real time"),
        ("  with every stage on", speed(whole), "x real time"),
    ]


def mending(seconds: float, runs: int) -> list[Row]:
    """Hum of twelve harmonics measured and subtracted, and a voice turned upright, on one core."""
    t = np.arange(round(seconds * RATE)) / RATE
    hum = sum(10 ** (-0.2 * k) * np.sin(2 * np.pi * 50.01 * k * t) for k in range(1, 13))
    source = ArraySource((talk(seconds, 5) + 0.004 * hum[:, None]).astype(np.float32))
    grid = list(segments(source.frames))
    track = follow_hum(source)
    assert track is not None
    follow = timed(lambda: follow_hum(source), max(runs // 2, 1))
    usual = Amounts(hum=100, rumble=100, clicks=100, plosives=70, noise=35, breaths=50, phase=True)
    facts = Facts(np.zeros((0, 2)), hold=held)
    known = measure(source, usual, facts)
    looked = timed(lambda: measure(source, usual, facts), 1)
    chained = timed(lambda: list(mended(source, usual, known)), max(runs // 2, 1))
    quiet = Amounts(noise=50)
    lowered = timed(lambda: list(mended(source, quiet, {"noise": known["noise"]})), max(runs // 2, 1))
    subtract = timed(lambda: [without_hum(source, s, track, 1.0) for s in grid], runs)
    turn = timed(lambda: [rotated(source, s, 0.7) for s in grid], runs)
    return [
        ("hum followed, mono, one core", seconds / follow, "x real time"),
        ("noise lowered, mono, one core", seconds / lowered, "x real time"),
        ("usual mending measured, mono, one core", seconds / looked, "x real time"),
        ("usual mending applied, mono, one core", seconds / chained, "x real time"),
        ("  and subtracted", seconds / subtract, "x real time"),
        ("phase rotation, mono, one core", seconds / turn, "x real time"),
    ]


def delivering(folder: Path, minutes: int) -> list[Row]:
    """An episode of three tracks: everything but the encoder on two threads, and the encoder by itself."""
    from pampa.core.mix.ducking import ducking_db, talk_curve
    from pampa.core.mix.plan import plan_of
    from pampa.core.mix.render import Mix
    from pampa.core.rendition import Rendition
    from pampa.core.timeline.document import Ducking

    seconds = minutes * 60
    frames = seconds * RATE
    people = {n: ArraySource(talk(seconds, n)) for n in (1, 2)}
    music = ArraySource(np.ascontiguousarray(np.repeat(talk(seconds, 9), 2, axis=1)))
    tracks = tuple(Track(n, f"P{n}", "person", (Clip(10 * n, n, 0, 0, frames),)) for n in (1, 2))
    document = Document((*tracks, Track(3, "Music", "music", (Clip(30, 3, 0, 0, frames),))))
    executor = Threads(2)
    began = time.perf_counter()
    treated, known = {}, known_of(VoiceFacts(-27.0), Recipe())
    for number, source in people.items():
        grid = segments(source.frames)
        parts = list(executor.map(lambda s, source=source: treat(source, s, Recipe(), known).sound, grid))
        treated[number] = ArraySource(np.concatenate(parts))
    talking = talk_curve(document, {n: np.ones(frames // 960 + 1) for n in (1, 2)})
    heard = {(n, n): Rendition(str(n)) for n in (1, 2, 3)}
    levels = {heard[n, n]: 4.0 for n in (1, 2)}
    plan = plan_of(document, heard, levels=levels, frames={1: frames, 2: frames, 3: frames})
    sources = {heard[n, n]: sound for n, sound in {**treated, 3: music}.items()}
    mix = Mix(plan, sources, {3: ducking_db(talking, Ducking())})
    parts = measure_parts(mix, executor)
    solution = solve(mix, parts, Aim(-16.0), executor)
    written = folder / "out.f32"
    with written.open("wb") as file:
        for block in finished(mix, solution, executor):
            block.tofile(file)
    everything = time.perf_counter() - began
    whole = np.memmap(written, np.float32, "r", shape=(frames, 2))
    rows = [(f"delivery of {minutes} min, 3 tracks, without the encoder, 2 cores", seconds / everything, "x real time")]
    for fmt in (Format("wav", 24), Format("flac", 24), Format("mp3", kbit=160)):
        path = folder / f"out.{fmt.kind}"
        share = min(seconds, 300)
        spent = timed(
            lambda path=path, fmt=fmt, share=share: encode(path, [whole[: share * RATE]], fmt, rate=RATE, channels=2), 1
        )
        rows.append((f"  encoder alone, {fmt.label}", share / spent, "x real time"))
        rows.append(
            ("  decoding and measuring it again", share / timed(lambda path=path: measure_file(path), 1), "x real time")
        )
    return rows


def editing(clips: int) -> list[Row]:
    """Edits at the beginning of an episode with so many clips and half as many seams: all that follows moves."""
    pieces = tuple(Clip(100 + n, 1, 0, 0, clips * RATE) for n in (1, 2))
    document = Document(tuple(Track(n + 1, "P", "person", (clip,)) for n, clip in enumerate(pieces)))
    for n in range(clips // 2 - 1):
        document = cutting.take_out(document, start=(n + 1) * RATE, stop=(n + 1) * RATE + RATE // 5)
    first = document.seams[0].id
    edits: dict[str, Callable[[], object]] = {
        "take out": lambda: cutting.take_out(document, start=RATE // 4, stop=RATE // 2),
        "put back": lambda: cutting.put_back(document, seam=first),
        "drag a side of a seam": lambda: seams.drag_seam(document, seam=first, first=RATE // 100),
        "carry to the end": lambda: inserting.carry(document, start=0, stop=RATE // 2, to=document.length - RATE),
    }
    return [(f"{name}, {clips} clips", timed(made, 5) * 1000, "ms") for name, made in edits.items()]


def standing(minutes: int) -> list[Row]:
    """Loudness as it stands, after a cut near the beginning of a long episode."""
    from pampa.core.mix.plan import plan_of
    from pampa.core.mix.render import Mix
    from pampa.core.mix.standing import standing_loudness
    from pampa.core.rendition import Rendition

    frames = minutes * 60 * RATE
    heard = {(n, n): Rendition(str(n)) for n in (1, 2)}
    sources = {heard[n, n]: ArraySource(talk(minutes * 60, n)) for n in (1, 2)}
    document = Document(tuple(Track(n, "P", "person", (Clip(10 + n, n, 0, 0, frames),)) for n in (1, 2)))

    def mixed(of: Document) -> Mix:
        return Mix(plan_of(of, heard, levels={}, frames={1: frames, 2: frames}), sources, np.zeros(0))

    cache: dict[bytes, object] = {}
    standing_loudness(mixed(document), cache, Inline())  # type: ignore[arg-type]
    spent = []
    for n in range(5):
        document = cutting.take_out(document, start=(7 + 11 * n) * RATE, stop=(8 + 11 * n) * RATE)
        began = time.perf_counter()
        standing_loudness(mixed(document), cache, Threads(2))  # type: ignore[arg-type]
        spent.append(time.perf_counter() - began)
    return [(f"loudness as it stands after a cut, {minutes} min", statistics.median(spent) * 1000, "ms")]


TAKES_MINUTES = ("straight", "pages", "sync", "finds", "picture", "around")


def main() -> None:
    parser = argparse.ArgumentParser(prog="./pampa bench", description=__doc__)
    parser.add_argument(
        "what",
        nargs="?",
        choices=[
            "passes",
            "pages",
            "gather",
            "sync",
            "finds",
            "judgement",
            "proposals",
            "session",
            "purpose",
            "voice",
            "music",
            "deliveries",
            "straight",
            "by_hand",
            "scale",
            "batch",
            "picture",
            "around",
            "speech",
        ],
        default="passes",
    )
    parser.add_argument("--minutes", type=int, default=60, help="length of the long passes")
    parser.add_argument("--runs", type=int, default=5)
    parser.add_argument("--voices", type=Path, help="lines of other speakers, for the benches of proposals and speech")
    parser.add_argument("--talks", type=Path, help="made talks for the bench of judgement")
    given = parser.parse_args()
    if given.what != "passes":
        main_of = importlib.import_module(f"bench.{given.what}").main
        if given.what in ("judgement", "proposals", "speech"):
            main_of(given.talks if given.what == "judgement" else given.voices)
        else:
            main_of(given.minutes) if given.what in TAKES_MINUTES else main_of()
        return
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        passes: list[Callable[[], list[Row]]] = [
            lambda: measuring(120, given.runs),
            lambda: treating(120, given.runs),
            lambda: mending(120, given.runs),
            lambda: conforming(folder, given.minutes),
            lambda: editing(500) + editing(3000),
            lambda: standing(given.minutes),
            lambda: delivering(folder, given.minutes),
        ]
        for each in passes:
            for label, value, unit in each():
                print(f"{label:<62} {value:>9.1f} {unit}" if unit else label, flush=True)


if __name__ == "__main__":
    main()
