"""What filters through second-order sections in series."""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control
from gemischt.core.dsp import biquad
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place


class Cascade(BlockProcessor):
    """Filters in place. State: (n_sections, n_channels, 2) holds each section's two delayed sums per channel."""

    def __init__(self, place: Place, audio: Audio, n_sections: int) -> None:
        control = Control(5 * n_sections, place.max_block, place.glide_samples)
        state = np.zeros((n_sections, place.n_channels, 2))
        self.controls = (control,)
        self.state = ((state,),)
        self.calls = (
            Call(biquad.run_sections, audio, control.pieces, control.coefs, state, *biquad.new_scratch(n_sections)),
        )


def ring_samples(sections: NDArray[np.float64]) -> int:
    """Samples until the slowest pole has decayed by 120 dB."""
    slowest = 0.0
    for _, _, _, a1, a2 in sections:
        slowest = max(slowest, float(np.max(np.abs(np.roots([1.0, a1, a2]))))) if a2 != 0.0 or a1 != 0.0 else slowest
    if slowest <= 0.0:
        return 0
    return math.ceil(-6.0 / math.log10(min(slowest, 0.999999)))
