"""The delay: repeats in time, filtered, from side to side if wanted."""

import math

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import delay_line
from gemischt.core.dsp.mixing import blend_wet
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, row
from gemischt.core.processors.delay_params import LONGEST_MS, DelayParams
from gemischt.core.units import ms_to_samples

TIME_FADE_MS = 60.0
"""How long a changed time is crossfaded in."""
_FADED_DB = 100.0
"""Ten over full scale falls under -90 dBFS."""


def wet_gains(wet: float, width: float) -> Row:
    """Gains of dry, wet middle and wet sides."""
    return row(1.0 - wet, wet, wet * width)


def one_pole_coefficient(frequency_hz: float, sample_rate_hz: float) -> float:
    """How far a one-pole low-pass moves towards its input each sample."""
    return 1.0 - math.exp(-2.0 * math.pi * frequency_hz / sample_rate_hz)


class DelayProcessor(BlockProcessor):
    """Repeats one or two channels. ``note`` must have been turned into ``time_ms`` before.

    State: ``_ring`` (2, power of two) what will be repeated; the line, see core.dsp.delay_line; the filters (2, 2).
    """

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = rate = place.sample_rate_hz
        longest = max(place.room_samples, ms_to_samples(LONGEST_MS, rate))
        self._ring = np.zeros((2, delay_line.ring_size(longest)))
        self._line = delay_line.new_line(ms_to_samples(TIME_FADE_MS, rate))
        filters, wet = np.zeros((2, 2)), np.zeros((2, place.max_block))
        echoes = Control(5, place.max_block, place.glide_samples, first_stepped=delay_line.LENGTH)
        blend = Control(3, place.max_block, place.glide_samples)
        self.controls = (echoes, blend)
        self.state = ((self._line,), (filters,))
        self.calls = (
            Call(delay_line.run_echoes, audio, wet, echoes.pieces, echoes.coefs, self._ring, self._line, filters),
            Call(blend_wet, audio, wet, blend.pieces, blend.coefs),
        )

    @staticmethod
    def tail_of(params: DelayParams, sample_rate_hz: int) -> int:
        faded = 0.0 if params.feedback < 1e-4 else _FADED_DB / (-20.0 * math.log10(params.feedback))
        return ms_to_samples(params.time_ms * (1.0 + math.ceil(faded)), sample_rate_hz)

    @staticmethod
    def room_of(params: DelayParams, sample_rate_hz: int) -> int:
        """Notes of slow songs are longer than any set time."""
        needed = ms_to_samples(params.time_ms, sample_rate_hz)
        return 0 if params.time_ms <= LONGEST_MS else delay_line.ring_size(needed)

    def coefs_of(self, params: DelayParams, *, on: bool) -> tuple[Row, ...]:
        rate = self._sample_rate_hz
        length = max(1, ms_to_samples(params.time_ms, rate))
        high = 1.0 if params.high_cut_hz is None else one_pole_coefficient(params.high_cut_hz, rate)
        low = 0.0 if params.low_cut_hz is None else one_pole_coefficient(params.low_cut_hz, rate)
        gains = wet_gains(params.wet if on else 0.0, params.width)
        return row(params.feedback, float(params.ping_pong), high, low, length), gains

    def take_over(self, other: "DelayProcessor") -> None:
        super().take_over(other)
        size, before = self._ring.shape[1], other._ring.shape[1]
        ages = self._line[delay_line.WRITE] - np.arange(1, min(size, before) + 1)
        self._ring[:, ages & (size - 1)] = other._ring[:, ages & (before - 1)]
        self._line[delay_line.WRITE] &= size - 1
