"""One pass over a recording for all finds: levels, voicing and mel bands, a hundred times a second."""

from dataclasses import dataclass
from functools import cache, partial
from itertools import pairwise

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.sound import Segment, Source, segments, to_mono

WORK_RATE = 16_000
HOP = WORK_RATE // 100
PER_S = WORK_RATE // HOP
WINDOW, SIZE = 400, 512
BANDS = 32
SPEECH_HZ, VOICE_HZ, AIR_HZ = (200.0, 4_000.0), (100.0, 900.0), (1_000.0, 7_000.0)
AIR_PARTS_HZ = (1_000.0, 1_400.0, 2_000.0, 2_800.0, 4_000.0, 5_600.0, 7_800.0)
LOWEST_PITCH_HZ, HIGHEST_PITCH_HZ = 65, 420
NOTHING = 1e-12

Matrix = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Features:
    """Curves of one recording, a value for each 10 ms; frame n is about the time n / 100 s."""

    speech: Matrix
    """Level of 200 Hz to 4 kHz in dB, shape (frames,)."""
    voice: Matrix
    """Level of 100 to 900 Hz in dB."""
    air: Matrix
    """Level of 1 to 7 kHz in dB."""
    parts: Matrix
    """Levels between the frequencies of AIR_PARTS_HZ in dB, shape (frames, 6): what a room's noise is not even in."""
    peak: Matrix
    """Highest sample of each 10 ms, linear, above 700 Hz."""
    voicing: Matrix
    """0 to 1: how alike the sound is to itself one period of a voice later."""
    pitch_hz: Matrix
    """The frequency of that period; says nothing where `voicing` is low."""

    @property
    def frames(self) -> int:
        return len(self.speech)


def measure_features(source: Source, executor: Executor | None = None) -> Features:
    """The features of a whole recording, at any rate; of several channels, the mean."""
    return features_and_mel(source, executor)[0]


def features_and_mel(source: Source, executor: Executor | None = None) -> tuple[Features, Matrix]:
    """The features of a whole recording, and its mel bands.

    Mel bands are logarithms of power, shape (frames, BANDS): what networks listen to, too much to be kept. Source:
    Davis & Mermelstein, IEEE ASSP 28 (1980).
    """
    grid = segments(source.frames, source.rate)
    parts = list((executor or Inline()).map(partial(_of_segment, source), grid))
    if not parts:
        nothing = np.zeros(0, np.float32)
        several = np.zeros((0, len(AIR_PARTS_HZ) - 1), np.float32)
        none = Features(nothing, nothing, nothing, several, nothing, nothing, nothing)
        return none, np.zeros((0, BANDS), np.float32)
    *columns, mel = [np.concatenate(column) for column in zip(*parts, strict=True)]
    return Features(*columns), mel


def _of_segment(source: Source, segment: Segment) -> tuple[Matrix, ...]:
    start, stop = segment.start, segment.stop
    frames = round((stop - start) * PER_S / source.rate)
    before = source.rate // 20
    sound = to_mono(source.read(start - before, stop + before))
    work = soxr.resample(sound, source.rate, WORK_RATE, quality="MQ")
    first = WORK_RATE // 20 - (WINDOW - HOP) // 2
    work = np.concatenate([work[first:], np.zeros(SIZE + HOP, np.float32)])
    views = np.lib.stride_tricks.sliding_window_view(work, WINDOW)[::HOP][:frames]
    spectrum = scipy.fft.rfft(views * _HANN, SIZE, axis=1)
    power = (spectrum.real**2 + spectrum.imag**2).astype(np.float32) * _SCALE
    mel = np.log(power @ _MEL + NOTHING)
    voicing, pitch = _voicing(power)
    rough = np.abs(np.diff(work, prepend=work[:1]))  # rises by 6 dB an octave: hum and voices step back
    inside = rough[(WINDOW - HOP) // 2 :][: frames * HOP].reshape(frames, HOP)
    parts = np.stack([_level(power, part) for part in pairwise(AIR_PARTS_HZ)], axis=1)
    return (*(_level(power, band) for band in (SPEECH_HZ, VOICE_HZ, AIR_HZ)), parts, inside.max(axis=1), voicing, pitch,
            mel.astype(np.float32))  # fmt: skip


def _voicing(power: Matrix) -> tuple[Matrix, Matrix]:
    """Highest value of the normalised autocorrelation among the periods of voices, and its frequency.

    The window's own autocorrelation is divided out. Source: Boersma, IFA Proceedings 17 (1993).
    """
    kept = power.copy()
    kept[:, :2] = 0  # rumble and a standing level are no voice
    kept[:, round(1_500 * SIZE / WORK_RATE) :] = 0
    alike = scipy.fft.irfft(kept, SIZE, axis=1)
    periods = slice(WORK_RATE // HIGHEST_PITCH_HZ, WORK_RATE // LOWEST_PITCH_HZ)
    share = alike[:, periods] / (alike[:, :1] + NOTHING) / _window_alike()[periods]
    best = share.argmax(axis=1)
    voicing = np.clip(np.take_along_axis(share, best[:, None], 1)[:, 0], 0, 1)
    return voicing.astype(np.float32), (WORK_RATE / (best + periods.start)).astype(np.float32)


@cache
def _window_alike() -> Matrix:
    """How alike the window is to itself at each shift: 1 at none."""
    alike = np.maximum(scipy.fft.irfft(np.abs(scipy.fft.rfft(_HANN, SIZE)) ** 2, SIZE), 1e-9)
    return (alike / alike[0]).astype(np.float32)


def _level(power: Matrix, band: tuple[float, float]) -> Matrix:
    low, high = (round(hz * SIZE / WORK_RATE) for hz in band)
    return (10 * np.log10(power[:, low : high + 1].sum(axis=1) + NOTHING)).astype(np.float32)


def _mel_filters() -> Matrix:
    """Triangles evenly spaced in mel from 100 Hz to 7.6 kHz, shape (bins, bands)."""
    low, high = (2595 * np.log10(1 + hz / 700) for hz in (100, 7_600))
    mel = np.linspace(low, high, BANDS + 2)
    hz = 700 * (10 ** (mel / 2595) - 1)
    bins = np.arange(SIZE // 2 + 1) * WORK_RATE / SIZE
    up = (bins[:, None] - hz[:-2]) / (hz[1:-1] - hz[:-2])
    down = (hz[2:] - bins[:, None]) / (hz[2:] - hz[1:-1])
    return np.maximum(np.minimum(up, down), 0).astype(np.float32)


_HANN = np.hanning(WINDOW + 1)[:-1].astype(np.float32)
_SCALE = np.float32(2 / (float((_HANN.astype(np.float64) ** 2).sum()) * SIZE))
_MEL = _mel_filters()
