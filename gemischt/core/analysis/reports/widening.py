"""What a widener would cost in mono, told from the powers of what it would widen."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.metering.bands import EDGES_HZ, LL, LR, RR
from gemischt.core.processors.widener_params import WidenerParams
from gemischt.core.units import power_to_db

_LEAST = 1e-20


def widened_loss_db(powers: NDArray[np.float64], params: WidenerParams) -> float:
    """What would be lost in mono of a signal with such band powers (n_moments, N_BANDS, 3).

    What the all-passes make of the middle is taken to be unrelated to it; of an offset each band keeps the mean of the
    cosines of its phases.
    """
    left, right, both = (powers[..., column].sum(axis=0) for column in (LL, RR, LR))
    middle, side = 0.25 * (left + right + 2.0 * both), 0.25 * (left + right - 2.0 * both)
    share = params.side_share
    kept = (middle + side + share * share * middle).sum()
    if params.delay_ms:
        delay_s = 1e-3 * abs(params.delay_ms)
        low, high = 2.0 * np.pi * EDGES_HZ[:-1] * delay_s, 2.0 * np.pi * EDGES_HZ[1:] * delay_s
        alike = both * (np.sin(high) - np.sin(low)) / (high - low)
        middle = 0.25 * (left + right + 2.0 * alike)
    return power_to_db(float(kept) + _LEAST) - power_to_db(float(middle.sum()) + _LEAST)
