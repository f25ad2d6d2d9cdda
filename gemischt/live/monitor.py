"""What the listener hears beside what the mix is: dimmed, summed, one side, on headphones, or matched. Nothing of it is
printed."""

from typing import Literal

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control
from gemischt.core.dsp.mixing import apply_matrix_in_place
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.headphones import Headphones
from gemischt.core.space.layout import STEREO, Layout
from gemischt.core.units import db_to_gain

DIM_DB = -20.0
GLIDE_SAMPLES = 480

MonitorMode = Literal["stereo", "mono", "left", "right", "mid", "side", "headphones"]

_ROUTES: dict[MonitorMode, list[list[float]]] = {
    "stereo": [[1.0, 0.0], [0.0, 1.0]],
    "mono": [[0.5, 0.5], [0.5, 0.5]],
    "left": [[1.0, 0.0], [1.0, 0.0]],
    "right": [[0.0, 1.0], [0.0, 1.0]],
    "mid": [[0.5, 0.5], [0.5, 0.5]],
    "side": [[0.5, -0.5], [0.5, -0.5]],
    "headphones": [[1.0, 0.0], [0.0, 1.0]],
}


class Monitor:
    """A gliding 2x2 matrix behind the mix; a mix of more channels is folded down to two before it, or becomes what two
    ears hear of its loudspeakers.

    State: where the glide is, how far headphones are faded in, and what sounds on them.
    """

    def __init__(self, max_block: int, sample_rate_hz: int) -> None:
        self._rate = sample_rate_hz
        self._headphones: tuple[Layout, Headphones] | None = None
        self._share = self._wanted_share = 0.0
        self._control = Control(4, max_block, GLIDE_SAMPLES)
        self._before = np.zeros((2, max_block))
        self.set("stereo", dim=False, offset_db=0.0, glide=False)

    def set(self, mode: MonitorMode, *, dim: bool, offset_db: float, glide: bool = True) -> None:
        """Aim at another way to listen; ``offset_db`` matches one session's loudness to another's."""
        gain = db_to_gain(offset_db + (DIM_DB if dim else 0.0))
        self._control.aim([(0, gain * np.array(_ROUTES[mode]).ravel())], glide=glide)
        self._wanted_share = float(mode == "headphones")

    def process(self, sound: Audio, layout: Layout) -> Audio:
        """What is heard of a block (n_channels, n), a new array (2, n)."""
        heard = np.array(sound) if layout == STEREO else matrix_between(layout, STEREO) @ sound
        if self._share or self._wanted_share:
            heard = self._faded(heard, self._on_headphones(sound, layout))
        n_samples, control = heard.shape[1], self._control
        if control.moves:
            control.fill(0, n_samples)
        apply_matrix_in_place(heard, self._before, n_samples, control.pieces, control.coefs)
        return heard

    def _on_headphones(self, sound: Audio, layout: Layout) -> Audio:
        if self._headphones is None or self._headphones[0] != layout:
            self._headphones = layout, Headphones(layout.name, self._rate)
            # They are heard once all of their responses sound.
            self._share = -self._headphones[1].n_ringing / GLIDE_SAMPLES
        return self._headphones[1].process(sound)

    def _faded(self, folded: Audio, on_headphones: Audio) -> Audio:
        """From one to the other, as far as the fade is."""
        step = np.sign(self._wanted_share - self._share) / GLIDE_SAMPLES
        way = np.minimum(self._share + step * np.arange(1, folded.shape[1] + 1), 1.0)
        self._share = float(way[-1])
        if not self._wanted_share and self._share <= 0.0:
            # What rings on them is over when they are put on again.
            self._share, self._headphones = 0.0, None
        shares = 0.5 - 0.5 * np.cos(np.pi * np.maximum(way, 0.0))
        mixed: Audio = folded + shares * (on_headphones - folded)
        return mixed
