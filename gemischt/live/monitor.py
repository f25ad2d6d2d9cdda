"""What the listener hears beside what the mix is: dimmed, summed, one side, or matched. Nothing of it is printed."""

from typing import Literal

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp.mixing import apply_matrix_in_place, start_ramp
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
    """A gliding 2x2 matrix behind the mix. State: ``_ramp`` (2, 2, 2) targets and steps, ``_remaining`` samples."""

    def __init__(self) -> None:
        self._ramp = np.zeros((2, 2, 2))
        self._remaining = np.zeros(1, np.int64)
        self.set("stereo", dim=False, offset_db=0.0, glide=False)

    def set(self, mode: MonitorMode, *, dim: bool, offset_db: float, glide: bool = True) -> None:
        """Aim at another way to listen; ``offset_db`` matches one session's loudness to another's."""
        gain = db_to_gain(offset_db + (DIM_DB if dim else 0.0))
        start_ramp(self._ramp, self._remaining, gain * np.array(_ROUTES[mode]), GLIDE_SAMPLES if glide else 0)

    def process(self, sound: Audio) -> Audio:
        """What is heard of a block (2, n), a new array."""
        heard = np.ascontiguousarray(sound).copy()
        apply_matrix_in_place(heard, heard.shape[1], self._ramp, self._remaining)
        return heard
