"""What the mean square of a source in each 10 ms says: when it begins, and how loud it is over time."""

import numpy as np
from numpy.typing import NDArray

ENVELOPE_STEPS = 5


def onset_of(powers: NDArray[np.float64]) -> tuple[float | None, float]:
    """When the first note begins, and the RMS before it: it stands 30 dB under the loudest 10 ms. Common practice, no
    source.

    Args:
        powers: mean square in each 10 ms.
    """
    if not len(powers) or powers.max() == 0.0:
        return None, -np.inf
    first = int(np.argmax(powers > powers.max() * 1e-3))
    # A note's own rise belongs to it.
    before = powers[: max(0, first - 5)]
    noise = 10.0 * float(np.log10(before.mean())) if len(before) and before.mean() > 0.0 else -np.inf
    return first / 100.0, noise


def envelope_of(powers: NDArray[np.float64]) -> list[float]:
    """RMS in each twentieth of a second, dB; from the mean square in each 10 ms."""
    whole = len(powers) // ENVELOPE_STEPS * ENVELOPE_STEPS
    means = powers[:whole].reshape(-1, ENVELOPE_STEPS).mean(axis=1)
    return [round(float(level), 1) for level in 10.0 * np.log10(np.maximum(means, 1e-12))]
