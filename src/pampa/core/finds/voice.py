"""How one person sounds: cepstra without what microphone and voice have in common, so that they can be compared."""

import numpy as np

from pampa.core.speech.activity import Bools
from pampa.core.speech.features import PER_S, Features, Matrix


def normalised(features: Features, talking: Bools) -> Matrix:
    """Cepstra less their mean over speech, each by its own spread: shape (frames, 12)."""
    if talking.sum() < PER_S:
        return np.zeros_like(features.cepstra)
    said = features.cepstra[talking]
    return (features.cepstra - said.mean(axis=0)) / (said.std(axis=0) + 1e-6)


def unsteadiness(cepstra: Matrix) -> Matrix:
    """How far the sound has changed 60 ms later, for each frame but the last six: root mean square of differences."""
    if len(cepstra) <= LATER:
        return np.zeros(0, np.float32)
    change = cepstra[LATER:] - cepstra[:-LATER]
    return np.sqrt((change**2).mean(axis=1))


LATER = 6
