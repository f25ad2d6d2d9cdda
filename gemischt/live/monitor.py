"""What the listener hears beside what the mix is: dimmed, summed, one side, or matched. Nothing of it is printed."""

from typing import Literal

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control
from gemischt.core.dsp.mixing import apply_matrix_in_place
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import STEREO, Layout
from gemischt.core.units import db_to_gain

DIM_DB = -20.0
GLIDE_SAMPLES = 480

MonitorMode = Literal["stereo", "mono", "left", "right", "mid", "side"]

_ROUTES: dict[MonitorMode, list[list[float]]] = {
    "stereo": [[1.0, 0.0], [0.0, 1.0]],
    "mono": [[0.5, 0.5], [0.5, 0.5]],
    "left": [[1.0, 0.0], [1.0, 0.0]],
    "right": [[0.0, 1.0], [0.0, 1.0]],
    "mid": [[0.5, 0.5], [0.5, 0.5]],
    "side": [[0.5, -0.5], [0.5, -0.5]],
}


class Monitor:
    """A gliding 2x2 matrix behind the mix; a mix of more channels is folded down to two before it."""

    def __init__(self, max_block: int) -> None:
        self._control = Control(4, max_block, GLIDE_SAMPLES)
        self._before = np.zeros((2, max_block))
        self.set("stereo", dim=False, offset_db=0.0, glide=False)

    def set(self, mode: MonitorMode, *, dim: bool, offset_db: float, glide: bool = True) -> None:
        """Aim at another way to listen; ``offset_db`` matches one session's loudness to another's."""
        gain = db_to_gain(offset_db + (DIM_DB if dim else 0.0))
        self._control.aim([(0, gain * np.array(_ROUTES[mode]).ravel())], glide=glide)

    def process(self, sound: Audio, layout: Layout) -> Audio:
        """What is heard of a block (n_channels, n), a new array (2, n)."""
        heard = np.array(sound) if layout == STEREO else matrix_between(layout, STEREO) @ sound
        n_samples, control = heard.shape[1], self._control
        if control.moves:
            control.fill(0, n_samples)
        apply_matrix_in_place(heard, self._before, n_samples, control.pieces, control.coefs)
        return heard
