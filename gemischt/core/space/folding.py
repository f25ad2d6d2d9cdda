"""A mix in fewer channels: folded down to two or one, or as two ears hear it."""

from typing import Literal

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.headphones import Headphones
from gemischt.core.space.layout import LAYOUTS, MONO, STEREO, Layout

FoldedTo = Literal["as-is", "stereo", "mono", "headphones"]


class Folding:
    """What becomes of blocks in a layout, and the ``layout`` they come out in. State: what rings on headphones."""

    def __init__(self, to: FoldedTo, source: Layout, sample_rate_hz: int) -> None:
        self.layout = source if to == "as-is" else MONO if to == "mono" else STEREO
        self._headphones = Headphones(source.name, sample_rate_hz) if to == "headphones" else None
        self._matrix = None if self.layout == source else matrix_between(source, LAYOUTS[self.layout.name])

    def process(self, sound: Audio) -> Audio:
        """Of a block (n_channels, n), the same or a new array."""
        if self._headphones is not None:
            return self._headphones.process(sound)
        return sound if self._matrix is None else np.ascontiguousarray(self._matrix @ sound)
