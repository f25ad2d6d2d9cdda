"""The widener: sides made of the middle, or one side later than the other.

Decorrelated: what all-passes in series make of the middle is added to one side and taken from the other, M. R.
Schroeder, "An artificial stereophonic effect obtained from a single audio signal", JAES 6(2), 1958 (from memory). The
power of both sides stays; of what was alike the correlation becomes (1 - a^2) / (1 + a^2), and mono loses
10 log(1 + a^2) dB and nothing of its colour. An offset combs in mono.
"""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import delay_line
from gemischt.core.dsp import feedback_network as network
from gemischt.core.dsp.mixing import apply_matrix, blend_wet
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, row
from gemischt.core.processors.widener_params import WidenerParams
from gemischt.core.units import ms_to_samples

ALL_PASSES_MS = (1.7, 3.1, 5.3, 7.9)
"""Our own choice: unevenly spaced, and too short to be heard as an echo."""
COEFFICIENT = 0.6
_FADE_MS = 30.0
_LONGEST_MS = 30.0


class Widener(BlockProcessor):
    """Two channels; one has no sides, and passes. State: the all-passes, and the delay of each side."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._rate = rate = place.sample_rate_hz
        self._n_channels = len(audio)
        self.controls, self.state, self.calls = (), (), ()
        if self._n_channels == 1:
            return
        sides = np.zeros((2, place.max_block))
        middle, diffusion = (Control(size, place.max_block, place.glide_samples) for size in (4, 1))
        blend = Control(3, place.max_block, place.glide_samples)
        later = [Control(1, place.max_block, place.glide_samples, first_stepped=0) for _ in range(2)]
        lengths = np.array([ms_to_samples(ms, rate) for ms in 2 * ALL_PASSES_MS], np.int64)
        rings = network.new_rings(2 * network.N_DIFFUSERS, delay_line.ring_size(int(lengths.max())))
        write = np.zeros(1, np.int64)
        unmeasured = np.zeros((1, 2))
        measured = (unmeasured, False, unmeasured, False)
        delays = [np.zeros((1, delay_line.ring_size(ms_to_samples(_LONGEST_MS, rate)))) for _ in later]
        lines = [delay_line.new_line(ms_to_samples(_FADE_MS, rate)) for _ in later]
        self.controls = (middle, diffusion, blend, *later)
        self.state = ((rings, write), *zip(delays, lines, strict=True))
        self.calls = (
            Call(apply_matrix, audio, sides, middle.pieces, middle.coefs, *measured),
            Call(network.diffuse, sides, diffusion.pieces, diffusion.coefs, rings, lengths, write),
            Call(blend_wet, audio, sides, blend.pieces, blend.coefs),
            *(
                Call(delay_line.run_delay, audio[side : side + 1], control.pieces, control.coefs, ring, line)
                for side, (control, ring, line) in enumerate(zip(later, delays, lines, strict=True))
            ),
        )

    @staticmethod
    def tail_of(params: WidenerParams, sample_rate_hz: int) -> int:
        # Each all-pass falls by its coefficient a round.
        rounds = 5.0 / -np.log10(COEFFICIENT)
        return ms_to_samples(rounds * max(ALL_PASSES_MS) + sum(ALL_PASSES_MS) + _LONGEST_MS, sample_rate_hz)

    def coefs_of(self, params: WidenerParams, *, on: bool) -> tuple[Row, ...]:
        if self._n_channels == 1:
            return ()
        share, later_ms = (params.side_share, params.delay_ms) if on else (0.0, 0.0)
        kept = 1.0 / np.sqrt(1.0 + share * share)
        lengths = (ms_to_samples(max(0.0, way * later_ms), self._rate) for way in (-1.0, 1.0))
        opposed = row(0.5, 0.5, -0.5, -0.5)
        return opposed, row(COEFFICIENT), row(kept, 0.0, share * kept), *(row(length) for length in lengths)
