"""The delay: repeats in time, filtered, from side to side if wanted."""

import math

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp import delay_line
from gemischt.core.dsp.mixing import blend_wet, start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.delay_params import LONGEST_MS, DelayParams
from gemischt.core.units import ms_to_samples

TIME_FADE_MS = 60.0
"""How long a changed time is crossfaded in."""
_FADED_DB = 100.0
"""Ten over full scale falls under -90 dBFS."""


def wet_gains(wet: float, width: float) -> list[float]:
    """Gains of dry, wet middle and wet sides."""
    return [1.0 - wet, wet, wet * width]


def one_pole_coefficient(frequency_hz: float, sample_rate_hz: float) -> float:
    """How far a one-pole low-pass moves towards its input each sample."""
    return 1.0 - math.exp(-2.0 * math.pi * frequency_hz / sample_rate_hz)


class DelayProcessor:
    """Repeats one or two channels. ``note`` must have been turned into ``time_ms`` before.

    State: ``_ring`` (2, power of two) what will be repeated, longer once it has to be; ``_filters`` (2, 2); ``_line``
    see core.dsp.delay_line.
    """

    def __init__(self, place: Place) -> None:
        self._place = place
        self._ring = np.zeros((2, delay_line.ring_size(ms_to_samples(LONGEST_MS, place.sample_rate_hz))))
        self._line = delay_line.new_line()
        self._filters = np.zeros((2, 2))
        self._ramp = np.zeros((2, 4))
        self._remaining = np.zeros(1, np.int64)
        self._blend = np.zeros((2, 3))
        self._blend_remaining = np.zeros(1, np.int64)
        self._wet = np.zeros((2, place.max_block))

    @staticmethod
    def latency_of(params: DelayParams, sample_rate_hz: int) -> int:
        return 0

    @staticmethod
    def tail_of(params: DelayParams, sample_rate_hz: int) -> int:
        faded = 0.0 if params.feedback < 1e-4 else _FADED_DB / (-20.0 * math.log10(params.feedback))
        return ms_to_samples(params.time_ms * (1.0 + math.ceil(faded)), sample_rate_hz)

    def set(self, params: DelayParams, *, on: bool, glide: bool) -> None:
        rate = self._place.sample_rate_hz
        high = 1.0 if params.high_cut_hz is None else one_pole_coefficient(params.high_cut_hz, rate)
        low = 0.0 if params.low_cut_hz is None else one_pole_coefficient(params.low_cut_hz, rate)
        samples = self._place.glide_samples if glide else 0
        start_ramp(
            self._ramp, self._remaining, np.array([params.feedback, float(params.ping_pong), high, low]), samples
        )
        gains = wet_gains(params.wet if on else 0.0, params.width)
        start_ramp(self._blend, self._blend_remaining, np.array(gains), samples)
        length = max(1, ms_to_samples(params.time_ms, rate))
        self._reach(length)
        delay_line.aim_line(self._line, length, ms_to_samples(TIME_FADE_MS, rate) if glide else 0)

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        delay_line.run_echoes(
            audio, self._wet, n_samples, self._ring, self._line, self._ramp, self._remaining, self._filters
        )
        blend_wet(audio, self._wet, n_samples, self._blend, self._blend_remaining)

    def take_over(self, other: "DelayProcessor") -> None:
        self._ring = other._ring.copy()
        for own, before in (
            (self._line, other._line),
            (self._filters, other._filters),
            (self._ramp, other._ramp),
            (self._remaining, other._remaining),
            (self._blend, other._blend),
            (self._blend_remaining, other._blend_remaining),
        ):
            own[:] = before

    def _reach(self, length_samples: int) -> None:
        """Let the ring be long enough, what it holds kept: notes of slow songs are longer than any set time."""
        size, longer = self._ring.shape[1], delay_line.ring_size(length_samples)
        if longer > size:
            ages = self._line[delay_line.WRITE] - np.arange(1, size + 1)
            ring = np.zeros((2, longer))
            ring[:, ages & (longer - 1)] = self._ring[:, ages & (size - 1)]
            self._ring = ring
