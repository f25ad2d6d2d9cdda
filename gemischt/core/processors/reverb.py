"""The reverb: a feedback delay network behind pre-delay, cuts and diffusers.

Reference: see core.dsp.feedback_network. Line lengths and diffuser lengths are our own choice of primes.
"""

import dataclasses

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import delay_line, early_reflections
from gemischt.core.dsp import feedback_network as network
from gemischt.core.dsp.mixing import blend_wet, copy
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, row
from gemischt.core.processors.delay import wet_gains
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.units import ms_to_samples

LENGTHS_MS = (26.1, 31.1, 35.4, 40.7, 44.3, 49.8, 54.2, 58.6, 64.6, 70.1, 75.0, 80.7, 86.2, 92.6, 98.9, 106.2)
"""Lines at full size; the shortest room is a fifth of it."""
DIFFUSERS_MS = (2.9, 4.3, 7.1, 10.3, 3.1, 4.7, 6.7, 10.9)
TURNS_HZ = (0.73, -1.07, 1.41, -1.79, 2.05, -2.41, 2.77, -3.13)
"""How fast pairs of lines are turned into each other."""
_SMALLEST = 0.2
_STRONGEST_DIFFUSION = 0.7
_PREDELAY_MS = 500.0
_FADE_MS = 80.0
_DAMPED_SHARE = 0.08
"""With damping at 1 the highest frequencies decay in this share of the time."""


def line_lengths(size: float, decay_s: float, sample_rate_hz: int) -> NDArray[np.int64]:
    """Samples of each line, (16,): distinct primes, so that no two lines repeat together.

    A decay too short for the size makes the room smaller: no line is longer than a fifth of the decay.
    """
    scale = _SMALLEST + (1.0 - _SMALLEST) * size
    scale = max(_SMALLEST, min(scale, 200.0 * decay_s / LENGTHS_MS[-1]))
    lengths: list[int] = []
    for length_ms in LENGTHS_MS:
        length = max(ms_to_samples(scale * length_ms, sample_rate_hz), lengths[-1] + 1 if lengths else 2)
        while any(length % divisor == 0 for divisor in range(2, int(length**0.5) + 1)):
            length += 1
        lengths.append(length)
    return np.array(lengths[::2] + lengths[1::2], np.int64)


def absorption(params: ReverbParams, lengths: NDArray[np.int64], sample_rate_hz: int) -> NDArray[np.float64]:
    """Gain, pole and output gain of the network, (33,).

    A line's gain makes it fall by 60 dB in ``decay_s`` at low frequencies; its pole shortens that at half the rate.
    The output gain keeps the energy of the answer the same whatever the decay.
    """
    gains = 10.0 ** (-3.0 * lengths / (params.decay_s * sample_rate_hz))
    damped_s = params.decay_s * (1.0 - params.damping * (1.0 - _DAMPED_SHARE))
    ratio = 10.0 ** (-3.0 * lengths / (damped_s * sample_rate_hz)) / gains
    poles = (1.0 - ratio) / (1.0 + ratio)
    returned = float(np.mean(gains**2))
    output = 0.25 * np.sqrt((1.0 - returned) / returned)
    return np.concatenate([gains, poles, [output]])


def diffusion_coefficient(params: ReverbParams) -> float:
    """Coefficient of the diffusers; in a short decay they must not ring longer than the room."""
    longest: float = 10.0 ** (-9.0 * max(DIFFUSERS_MS) / (1000.0 * params.decay_s))
    return min(_STRONGEST_DIFFUSION * params.diffusion, longest)


class Reverb(BlockProcessor):
    """Answers with a room; two channels in and out, or one that takes the middle.

    The first reflections come from in front of the diffusers, and keep their side.

    State: the pre-delay, the cuts' filters, the diffusers, the network: its lines (16, longest), of which ``places``
    says how much is used, what is absorbed behind them (16,), and the angles that pairs of lines are turned by; and
    what the first reflections repeat.
    """

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = rate = place.sample_rate_hz
        fade = ms_to_samples(_FADE_MS, rate)
        wet = np.zeros((2, place.max_block))
        self._cuts = Equalizer(dataclasses.replace(place, n_channels=2), wet)
        predelay = np.zeros((2, delay_line.ring_size(ms_to_samples(_PREDELAY_MS, rate))))
        predelay_line = delay_line.new_line(fade)
        diffuser_lengths = np.array([ms_to_samples(length_ms, rate) for length_ms in DIFFUSERS_MS], np.int64)
        diffusers = np.zeros((2 * network.N_DIFFUSERS, delay_line.ring_size(int(diffuser_lengths.max()))))
        diffuser_write = np.zeros(1, np.int64)
        places = network.new_places(line_lengths(1.0, 20.0, rate))
        lines = np.zeros((network.N_LINES, places[1].max()))
        taps, fading = np.zeros((2, network.N_LINES), np.int64), np.array([0, fade], np.int64)
        absorbed = np.zeros(network.N_LINES)
        turns = np.stack([np.ones(network.N_TURNS), np.zeros(network.N_TURNS)])
        turn_tables = network.turn_tables(2.0 * np.pi * np.array(TURNS_HZ) / rate)
        waiting = Control(1, place.max_block, place.glide_samples, first_stepped=0)
        diffusion = Control(1, place.max_block, place.glide_samples)
        # The absorption goes with the lengths.
        absorbing = Control(network.N_COEFS, place.max_block, fade, first_stepped=network.LENGTHS)
        blend = Control(3, place.max_block, place.glide_samples)
        early = Control(1, place.max_block, place.glide_samples)
        arriving = np.zeros((2, place.max_block))
        delays = np.array([ms_to_samples(ms, rate) for ms in early_reflections.TIMES_MS], np.int64)
        echoes = np.zeros((2, delay_line.ring_size(int(delays.max()) + place.max_block)))
        echo_write = np.zeros(1, np.int64)
        repeating = (early.pieces, early.coefs, echoes, echo_write, delays, early_reflections.early_gains())
        lasting = (lines, places, taps, fading, absorbed, turns)
        self.controls = (waiting, *self._cuts.controls, diffusion, absorbing, early, blend)
        room = ((diffusers, diffuser_write), lasting, (echoes, echo_write))
        self.state = ((predelay, predelay_line), *self._cuts.state, *room)
        spread_out = (diffusion.pieces, diffusion.coefs, diffusers, diffuser_lengths, diffuser_write)
        self.calls = (
            Call(copy, audio, wet),
            Call(delay_line.run_delay, wet, waiting.pieces, waiting.coefs, predelay, predelay_line),
            *self._cuts.calls,
            Call(copy, wet, arriving),
            Call(network.diffuse, wet, *spread_out),
            Call(network.run_network, wet, absorbing.pieces, absorbing.coefs, *lasting, turn_tables),
            Call(early_reflections.add_early, arriving, wet, *repeating),
            Call(blend_wet, audio, wet, blend.pieces, blend.coefs),
        )

    @staticmethod
    def tail_of(params: ReverbParams, sample_rate_hz: int) -> int:
        return ms_to_samples(1.4 * 1000.0 * params.decay_s + params.pre_delay_ms, sample_rate_hz)

    def coefs_of(self, params: ReverbParams, *, on: bool) -> tuple[Row, ...]:
        rate = self._sample_rate_hz
        lengths = line_lengths(params.size, params.decay_s, rate)
        bands = []
        if params.low_cut_hz is not None:
            bands.append(EqBand(shape="low-cut", frequency_hz=params.low_cut_hz))
        if params.high_cut_hz is not None:
            bands.append(EqBand(shape="high-cut", frequency_hz=params.high_cut_hz))
        return (
            row(ms_to_samples(params.pre_delay_ms, rate)),
            *self._cuts.coefs_of(EqParams(bands=tuple(bands)), on=True),
            row(diffusion_coefficient(params)),
            np.concatenate([absorption(params, lengths, rate), lengths]),
            row(params.early),
            wet_gains(params.wet if on else 0.0, params.width),
        )
