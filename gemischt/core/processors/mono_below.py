"""Lows without sides: below a crossover the side is taken out, above it nothing moves.

Reference: S. H. Linkwitz, "Active crossover networks for noncoincident drivers", JAES 24(1), 1976: the side passes the
upper half of a crossover, the middle the all-pass that both halves add up to, so that above it they stay together.
"""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import biquad, sides
from gemischt.core.dsp.band_design import BUTTERWORTH_Q
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place
from gemischt.core.processors.cascade import ring_samples
from gemischt.core.processors.mono_below_params import MonoBelowParams


def sections_of(params: MonoBelowParams, sample_rate_hz: float) -> list[biquad.Section]:
    """One section of the middle, then two of the side."""
    hz = params.frequency_hz
    if params.slope_db_per_octave == 24:
        high = biquad.high_pass(hz, BUTTERWORTH_Q, sample_rate_hz)
        return [biquad.all_pass(hz, BUTTERWORTH_Q, sample_rate_hz), high, high]
    b0, b1, _, a1, _ = biquad.first_order_high_pass(hz, sample_rate_hz)
    c0, c1, *_ = biquad.first_order_low_pass(hz, sample_rate_hz)
    # Low-pass less high-pass, both of the first order, is an all-pass; squared, the high-pass has its polarity turned.
    return [(c0 - b0, c1 - b1, 0.0, a1, 0.0), (-b0, -b1, 0.0, a1, 0.0), (b0, b1, 0.0, a1, 0.0)]


class MonoBelow(BlockProcessor):
    """State: (3, 2) two delayed sums of each section."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        control = Control(5 * 3, place.max_block, place.glide_samples)
        state = np.zeros((3, 2))
        self.controls = (control,)
        self.state = ((state,),)
        self.calls = (Call(sides.filter_sides, audio, control.pieces, control.coefs, np.zeros((1, 15)), state),)

    @staticmethod
    def tail_of(params: MonoBelowParams, sample_rate_hz: int) -> int:
        return ring_samples(np.array(sections_of(params, sample_rate_hz)))

    def coefs_of(self, params: MonoBelowParams, *, on: bool) -> tuple[Row, ...]:
        sections = sections_of(params, self._sample_rate_hz) if on else [biquad.IDENTITY] * 3
        return (np.array(sections).ravel(),)
