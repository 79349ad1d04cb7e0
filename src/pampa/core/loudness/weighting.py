"""The K-weighting filter of BS.1770 at any sample rate, and the weights of the channels."""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

SHELF_HZ, SHELF_DB, SHELF_Q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
LOW_CUT_HZ, LOW_CUT_Q = 38.13547087602444, 0.5003270373238773


@lru_cache
def k_weighting(rate: int) -> NDArray[np.float64]:
    """Two second-order sections, shape (2, 5): b0, b1, b2, a1, a2, with a0 = 1.

    The standard tabulates coefficients at 48 kHz only; the analogue prototypes behind the table (a high
    shelf and a high pass) are transformed here for any rate, and give the table at 48 kHz to 1e-6.

    Source: ITU-R BS.1770-5, annex 1, tables 1 and 2; bilinear transform with pre-warping.
    """
    k = math.tan(math.pi * SHELF_HZ / rate)
    high = 10 ** (SHELF_DB / 20)
    band = high**0.4996667741545416
    a0 = 1 + k / SHELF_Q + k * k
    shelf = [
        (high + band * k / SHELF_Q + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / SHELF_Q + k * k) / a0,
        2 * (k * k - 1) / a0, (1 - k / SHELF_Q + k * k) / a0,
    ]  # fmt: skip
    k = math.tan(math.pi * LOW_CUT_HZ / rate)
    a0 = 1 + k / LOW_CUT_Q + k * k
    low_cut = [1.0, -2.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / LOW_CUT_Q + k * k) / a0]
    return np.array([shelf, low_cut])


SURROUND = 1.41
LAYOUTS = {
    1: (1.0,),
    2: (1.0, 1.0),
    3: (1.0, 1.0, 1.0),
    4: (1.0, 1.0, SURROUND, SURROUND),
    5: (1.0, 1.0, 1.0, SURROUND, SURROUND),
    6: (1.0, 1.0, 1.0, 0.0, SURROUND, SURROUND),
    8: (1.0, 1.0, 1.0, 0.0, 1.0, 1.0, SURROUND, SURROUND),
}


def channel_weights(channels: int) -> tuple[float, ...]:
    """Weights of the channels in the order of a WAV file: L R C LFE and then the surrounds.

    One channel counts once: a mono programme is measured as one loudspeaker. Layouts that the table does
    not know weigh every channel alike. Source: ITU-R BS.1770-5, annex 1, table 3, and annex 3.
    """
    return LAYOUTS.get(channels, (1.0,) * channels)
