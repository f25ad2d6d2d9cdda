"""A mix in fewer channels: folded down to two or one, one of two or their difference, or as two ears hear it."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.headphones import Headphones
from gemischt.core.space.layout import LAYOUTS, MONO, STEREO, Layout

FoldedTo = Literal["as-is", "stereo", "mono", "left", "right", "side", "headphones"]
_OF_TWO: dict[FoldedTo, tuple[float, float]] = {"left": (1.0, 0.0), "right": (0.0, 1.0), "side": (0.5, -0.5)}


class Folding:
    """What becomes of blocks in a layout, and the ``layout`` they come out in. State: what rings on headphones."""

    def __init__(self, to: FoldedTo, source: Layout, sample_rate_hz: int) -> None:
        to_one = to == "mono" or to in _OF_TWO
        self.layout = source if to == "as-is" else MONO if to_one else STEREO
        self._headphones = Headphones(source.name, sample_rate_hz) if to == "headphones" else None
        self._matrix: NDArray[np.float64] | None = None
        if to in _OF_TWO:
            self._matrix = np.array([_OF_TWO[to]]) @ matrix_between(source, STEREO)
        elif self.layout != source:
            self._matrix = matrix_between(source, LAYOUTS[self.layout.name])

    def process(self, sound: Audio) -> Audio:
        """Of a block (n_channels, n), the same or a new array."""
        if self._headphones is not None:
            return self._headphones.process(sound)
        return sound if self._matrix is None else np.ascontiguousarray(self._matrix @ sound)
