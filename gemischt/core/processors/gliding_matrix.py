"""What turns channels into each other by gains that glide."""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control
from gemischt.core.dsp.mixing import apply_matrix_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place


class GlidingMatrix(BlockProcessor):
    """Gains from each channel to each; processors say which."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self.n_channels = n = place.n_channels
        control = Control(n * n, place.max_block, place.glide_samples)
        before = np.zeros((n, place.max_block))
        self.controls = (control,)
        self.calls = (Call(apply_matrix_in_place, audio, before, control.pieces, control.coefs),)
